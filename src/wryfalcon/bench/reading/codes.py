"""A code as a source of a bitting: the table says it, and the tag keeps which code and series."""

from __future__ import annotations

from collections.abc import Collection

from keycore.codes.series import code_range
from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.bench.models import Source, SourceKind, Tag
from wryfalcon.bench.reading.actions import state_labels
from wryfalcon.bench.reading.source_actions import SourceSettings, add_source, describe_source
from wryfalcon.codes.models import Code
from wryfalcon.codes.queries.by_code import FoundCode, codes_called
from wryfalcon.refusal import NotDone


def find_code(text: str, family: str = "", series: Collection[int] | None = None) -> Code:
    """The one code that was typed, after a comma words of the series that is meant; of a family, or of these series.

    A code of several series is one code only where they say the same of the same family: a bitting is never guessed.
    Raises NotDone for a code that no series has, for several, and for a range.
    """
    typed, _, narrow = text.partition(",")
    shown = typed.strip()[:20]
    if code_range(typed) is not None:
        raise NotDone("One code at a time, not a range.")
    called = [
        each for each in codes_called(typed, narrow)
        if (not family or each.series.family_record.slug == family) and (series is None or each.series.pk in series)
    ]  # fmt: skip
    if not called:
        of = "this family" if family or series is not None else "the library"
        raise NotDone(f"No series of {of} has the code “{shown}”.")
    if len({_meant(each) for each in called}) > 1:
        named = " and ".join(sorted(f"{each.series} ({each.record.name})" for each in called))
        raise NotDone(f"The code “{shown}” is another in each of {named}: type a comma and a word of the one meant.")
    return Code.objects.select_related("series__family_record").get(pk=called[0].pk)


def _meant(found: FoundCode) -> tuple[int, str, str]:
    """What a key of a code is: codes that agree in this are one."""
    return found.record.pk, found.series.track, found.bitting


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
