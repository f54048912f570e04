"""Codes printed on a card that spell the bitting itself: unused characters, and groups laid out to rows of cuts."""

from __future__ import annotations

from keycore.codes.series import check_printed, looked_up
from keycore.errors import InputError
from keycore.family import Family


def usual_card(family: Family) -> str:
    """How a card of a family is printed where nobody said otherwise: every character counts. Raises nothing.

    >>> from keycore.documents.family import read_family
    >>> usual_card(read_family("harbour-five"))
    '#####'
    """
    return "#" * _cuts(family)


def read_card(family: Family, code: str, printed: str = "") -> dict[str, tuple[str, ...]]:
    """The labels that a card spells, row after row in the family's order, each counted as the family counts.

    Arguments: the ``code`` as it is printed, blanks and dashes and all; ``printed`` its rule, # for a character that
    counts and x for one that does not, the usual card without it. Returns labels (n,) by track. Raises InputError for
    a rule of another length than the family has cuts, a code of another length than the rule, labels of more than one
    character, and a character that is no label of its row.

    >>> from keycore.documents.family import read_family
    >>> read_card(read_family("capstan-five"), "2313-K2-1232-ABC", "####x########")
    {'A': ('2', '3', '1', '3', '2'), 'B': ('1', '2', '3', '2'), 'C': ('a', 'b', 'c')}
    """
    rule = check_printed(printed) or usual_card(family)
    if rule.count("#") != _cuts(family):
        raise InputError("printed", f"has {rule.count('#')} characters that count, the family {_cuts(family)} cuts")
    plain = looked_up(code)
    if len(plain) not in (len(rule), rule.count("#")):
        raise InputError("code", f"{len(plain)} characters where the card has {len(rule)}")
    counts = looked_up(code, rule)
    found, at = {}, 0
    for track in family.tracks:
        labels = {label.upper(): label for label in track.labels}
        if any(len(label) != 1 for label in labels):
            raise InputError("code", f"the labels of track {track.name} are no single characters")
        of_row = counts[at : at + len(track.spaces)]
        at += len(track.spaces)
        wrong = next((character for character in of_row if character not in labels), None)
        if wrong is not None:
            raise InputError("code", f"{wrong} is no depth of track {track.name}, whose are {', '.join(track.labels)}")
        found[track.name] = tuple(labels[character] for character in of_row)
    return found


def _cuts(family: Family) -> int:
    return sum(len(track.spaces) for track in family.tracks)
