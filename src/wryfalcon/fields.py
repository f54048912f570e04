"""Form fields that a shop's forms share."""

from __future__ import annotations

from typing import Any, cast

from django import forms
from django.core.exceptions import ValidationError
from django.forms.utils import ErrorDict
from django.http import HttpRequest
from django.utils.functional import lazy

from keycore.units import Unit, convert
from wryfalcon.lengths import NotALength, parse_length, say_mm, shown_in, unit_shown
from wryfalcon.refusal import NotDone

INCH_PLACES, MM_PLACES = 6, 6  # as they are shown to be typed over
ENDS = [("bow", "the bow"), ("tip", "the tip")]  # what cuts are counted from
GAUGES = [("shoulder", "the shoulder"), ("tip", "the tip")]  # what places are measured from
KEPT = {Unit.INCH: 4, Unit.MILLIMETRE: 6}  # places of a millimetre that are kept of what is typed


class MmField(forms.CharField):
    """A length of the machine room: kept in millimetres, typed and shown in the unit of whoever is looking.

    What was shown and comes back unchanged is kept to a ten-thousandth of a millimetre.
    """

    def __init__(
        self, *, label: str, least: float | None = None, most: float | None = None, initial: float | None = None,
        per: str = "", **more: Any,
    ) -> None:  # fmt: skip
        super().__init__(label=_labelled(label, per), initial=initial, max_length=24, **more)
        self.least, self.most = least, most
        self.widget.attrs |= {"inputmode": "decimal", "autocomplete": "off"}

    def prepare_value(self, value: Any) -> Any:
        """A number of millimetres as it is typed in the unit shown; what was typed as it is."""
        if not isinstance(value, int | float):
            return value
        shown = convert(float(value), Unit.MILLIMETRE, unit_shown())
        return f"{round(shown, INCH_PLACES if unit_shown() == Unit.INCH else MM_PLACES):.6f}".rstrip("0").rstrip(".")

    def clean(self, value: Any) -> float | None:
        """Millimetres; None for nothing. Raises ValidationError for what is no length, or too large or small."""
        text = super().clean(value).strip()
        if not text:
            return None
        try:
            mm = parse_length(text, unit_shown(), Unit.MILLIMETRE).value
        except NotALength as error:
            raise ValidationError(str(error)) from None
        if self.least is not None and mm < self.least:
            raise ValidationError(f"{say_mm(self.least, 4)} at least.")
        if self.most is not None and mm > self.most:
            raise ValidationError(f"{say_mm(self.most)} at most.")
        return round(mm, KEPT[unit_shown()])


def unit_typed(request: HttpRequest) -> Unit:
    """The unit that what was sent was typed in: its page's own, and that of whoever asks where it does not say.

    A page may have been shown, or a value typed ahead on it, before the unit was changed on another.
    """
    said = (request.POST or request.GET).get("typed_in", "")
    return Unit(said) if said in set(Unit) else unit_shown()


class TypedInForm(forms.Form):
    """A form with lengths, understood in the unit its page was shown in (``typed_in``), whatever the unit is by now."""

    @property
    def errors(self) -> ErrorDict:
        """What is wrong, worked out when it is first asked for: what was typed is understood then."""
        said = str(self.data.get("typed_in", ""))
        with shown_in(Unit(said) if said in set(Unit) else unit_shown()):
            return super().errors


class Said(TypedInForm):
    """What a press says. What cannot be so is refused, in words that name the field."""

    @classmethod
    def of(cls, request: HttpRequest, **more: Any) -> dict[str, Any]:
        """What each field says. Raises NotDone for the first that cannot be so."""
        form = cls(request.POST, request.FILES, **more)
        if form.is_valid():
            return form.cleaned_data
        name, wrong = next(iter(form.errors.items()))
        label = form[name].label if name in form.fields else ""
        raise NotDone(f"{label}: {wrong[0]}" if label else str(wrong[0]), name)


class WordField(forms.CharField):
    """A word or a text that may be left out, kept as it was typed: its action says what it makes of it."""

    def __init__(self, **more: Any) -> None:
        super().__init__(**{"required": False, "strip": False, **more})


class PastedField(forms.Field):
    """Something long as it was pasted, whatever is in it: its reader says what is wrong, its page shows it again."""

    def __init__(self, **more: Any) -> None:
        super().__init__(required=False, **more)

    def clean(self, value: Any) -> str:
        """The text, empty where nothing was sent."""
        return value or ""


class NumberField(forms.IntegerField):
    """A whole number that may be left out: 0 then."""

    def __init__(self, **more: Any) -> None:
        super().__init__(**{"required": False, "min_value": 0, "max_value": 999_999_999, **more})

    def clean(self, value: Any) -> int:
        """The number. Raises ValidationError for what is none."""
        return super().clean(value) or 0


class _Pressed(forms.CheckboxInput):
    def value_from_datadict(self, data: Any, files: Any, name: str) -> bool:
        return name in data


class PressedField(forms.BooleanField):
    """Whether the button of that name was pressed, or its box ticked, whatever its value is."""

    widget = _Pressed

    def __init__(self, **more: Any) -> None:
        super().__init__(required=False, **more)


class ListField(forms.Field):
    """Every value under one name, in order."""

    widget = forms.MultipleHiddenInput

    def __init__(self, **more: Any) -> None:
        super().__init__(required=False, **more)

    def clean(self, value: Any) -> list[str]:
        """The texts; none where nothing was sent."""
        return list(value or ())


WORD, PASTED, NUMBER, PRESSED, LIST = WordField(), PastedField(), NumberField(), PressedField(), ListField()
FILE = forms.FileField(required=False, allow_empty_file=True)
"""Fields as most forms have them; each form copies its own."""


def posted(request: HttpRequest, **fields: forms.Field) -> dict[str, Any]:
    """What a form says that is sent to one view alone, by its fields. Raises NotDone as ``Said.of``."""
    return cast("type[Said]", type("Posted", (Said,), fields)).of(request)


def _labelled(label: str, per: str) -> Any:
    """A label with the unit of whoever is looking, worked out when it is shown; spelt out before more words."""

    def words() -> str:
        inches = unit_shown() == Unit.INCH
        return f"{label}, {'inches' if inches else 'mm'} {per}" if per else f"{label}, {unit_shown()}"

    return lazy(words, str)()
