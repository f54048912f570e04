"""The bench and the stages of a tag."""

from django.urls import path

from wryfalcon.bench.views import cut, hand_over, paper, prove, read, set_up, settle, sources, tags

app_name = "bench"
urlpatterns = [
    path("", tags.tags, name="tags"),
    path("tags/new", tags.new, name="new"),
    path("tags/<int:number>", tags.at_its_stage, name="tag"),
    path("tags/<int:number>/take-in", tags.take_in_stage, name="take-in"),
    path("tags/<int:number>/decline", tags.decline_tag, name="decline"),
    path("tags/<int:number>/read", read.read_stage, name="read"),
    path("tags/<int:number>/read/value", read.type_value, name="type-value"),
    path("tags/<int:number>/read/withdraw", read.withdraw_value, name="withdraw-value"),
    path("tags/<int:number>/read/sources", sources.add, name="add-source"),
    path("tags/<int:number>/read/describe", sources.describe, name="describe-source"),
    path("tags/<int:number>/read/<int:source>/change", sources.change, name="change-source"),
    path("tags/<int:number>/read/<int:source>/labels", sources.type_labels, name="type-labels"),
    path("tags/<int:number>/read/<int:source>/code", sources.look_up, name="read-code"),
    path("tags/<int:number>/read/<int:source>/grid", sources.tap_grid, name="tap-grid"),
    path("tags/<int:number>/read/<int:source>/look", sources.look, name="look"),
    path("tags/<int:number>/read/<int:source>/stage", sources.stage, name="stage-cut"),
    path("tags/<int:number>/settle", settle.settle_stage, name="settle"),
    path("tags/<int:number>/settle/overrule", settle.overrule_cut, name="overrule"),
    path("tags/<int:number>/real-size", paper.real_size, name="real-size"),
    path("tags/<int:number>/tries", paper.keys_to_try, name="tries"),
    path("tags/<int:number>/settle/fill", settle.fill_cuts, name="fill-cuts"),
    path("tags/<int:number>/settle/keep", settle.settle_tag, name="settle-tag"),
    path("tags/<int:number>/settle/read-back", settle.read_back_tag, name="read-back"),
    path("tags/<int:number>/set-up", set_up.set_up_stage, name="set-up"),
    path("tags/<int:number>/set-up/choose", set_up.choose_fitting, name="choose-fitting"),
    path("tags/<int:number>/set-up/tick", set_up.tick_checks, name="tick"),
    path("tags/<int:number>/set-up/card", set_up.print_card, name="print-card"),
    path("tags/<int:number>/set-up/plan.<slug:kind>", set_up.cut_plan_file, name="cut-plan"),
    path("tags/<int:number>/cut", cut.cut_stage, name="cut"),
    path("tags/<int:number>/cut/next", cut.cut_next, name="cut-next"),
    path("tags/<int:number>/cut/<int:run>", cut.operate, name="operate"),
    path("tags/<int:number>/prove", prove.prove_stage, name="prove"),
    path("tags/<int:number>/prove/<int:run>/value", prove.type_proof_value, name="type-proof-value"),
    path("tags/<int:number>/prove/<int:run>/measure", prove.measure, name="measure"),
    path("tags/<int:number>/prove/<int:run>/try", prove.try_key, name="try-key"),
    path("tags/<int:number>/prove/<int:run>/verdict", prove.keep_verdict, name="keep-verdict"),
    path("tags/<int:number>/hand-over", hand_over.hand_over_stage, name="hand-over"),
    path("tags/<int:number>/hand-over/close", hand_over.close_tag, name="close"),
    path("tags/<int:number>/record.json", hand_over.record_json, name="record-json"),
    path("tags/<int:number>/job-card.pdf", hand_over.job_card, name="job-card"),
]
