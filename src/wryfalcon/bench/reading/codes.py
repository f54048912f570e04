"""A code as a source of a bitting: the table says it, and the tag keeps which code and series."""

from __future__ import annotations

from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.bench.models import Source, SourceKind, Tag
from wryfalcon.bench.reading.actions import state_labels
from wryfalcon.bench.reading.source_actions import SourceSettings, add_source, describe_source
from wryfalcon.codes.models import Code
from wryfalcon.refusal import NotDone


@action
def read_code(actor: User, tag: Tag, code: Code, source: Source | None = None) -> Source:
    """Take a code's bitting as a source that names the code and its series.

    Raises NotDone for another family's, and for one of an edition whose labels or cuts are not those of the tag's.
    """
    made_by, record = code.series.family_record, tag.family_record
    if record is None or made_by.slug != record.slug:
        raise NotDone(f"{code.series} is a series of {made_by}, not of this key's family.")
    if not record.reads(made_by):
        raise NotDone(f"{code.series} was made by {made_by.named}; this key is of edition {record.edition}.")
    name = f"{code}, {code.series}"
    source = source or add_source(actor, tag, code.series.track, SourceKind.CODE, name)
    if source.counted_from != tag.family.numbered_from:
        describe_source(actor, tag, source, SourceSettings(counted_from=tag.family.numbered_from))
    source.name, source.code = name[:40], code
    source.save()
    labels = code.bitting.split()
    state_labels(actor, tag, source, {space: [label] for space, label in enumerate(labels, start=1)})
    return source
