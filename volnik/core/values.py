"""Plain values that can be kept, sent and described: frozen, checked on making, unknown keys refused."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, Self, TypeVar

from pydantic import BaseModel, ConfigDict, ValidationError

from volnik.core.errors import InvalidInput

Some = TypeVar("Some", bound=BaseModel)

_SENTENCES = {
    "greater_than": "must be more than {gt:g}",
    "greater_than_equal": "must be at least {ge:g}",
    "less_than_equal": "must be at most {le:g}",
    "less_than": "must be below {lt:g}",
    "finite_number": "must be a plain number",
    "float_type": "must be a number",
    "float_parsing": "must be a number",
    "int_type": "must be a whole number",
    "int_parsing": "must be a whole number",
    "int_from_float": "must be a whole number",
    "string_type": "must be text",
    "string_too_long": "has at most {max_length} letters",
    "string_too_short": "must not be empty",
    "missing": "is missing",
    "extra_forbidden": "is not known here",
    "unexpected_keyword_argument": "is not known here",
    "bool_type": "must be true or false",
    "bool_parsing": "must be true or false",
    "tuple_type": "must be a list",
    "list_type": "must be a list",
    "dict_type": "must be an object",
    "model_type": "must be an object",
    "too_long": "has at most {max_length} entries",
    "literal_error": "must be one of {expected}",
}

_SPEAK_FOR_THEMSELVES = ("missing", "extra_forbidden", "unexpected_keyword_argument")


class Plain(BaseModel):
    """A value of the rig document."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    def changed(self, **changes: Any) -> Self:
        """The same with some fields changed, checked again."""
        return type(self)(**{**{name: getattr(self, name) for name in type(self).model_fields}, **changes})


def problems_of(wrong: ValidationError, at: str = "") -> dict[str, str]:
    """What is wrong with given values, by place ("wiring.planned.cables.3.length_m"), each as a sentence."""
    problems: dict[str, str] = {}
    for error in wrong.errors(include_url=False):
        place = ".".join(str(part) for part in (*([at] if at else []), *error["loc"])) or at or "document"
        inner = error.get("ctx", {}).get("error")
        if isinstance(inner, InvalidInput):  # a value with rules of its own names its fields itself
            problems |= {f"{place}.{field}": message for field, message in inner.problems.items()}
        else:
            problems[place] = _sentence(error["type"], error["msg"], error.get("ctx", {}), error.get("input"))
    return problems


def _sentence(kind: str, otherwise: str, details: dict[str, Any], given: Any) -> str:
    """One fault in words, with what was given where that says more."""
    sentence = _SENTENCES.get(kind)
    if sentence is None:
        return str(details.get("error", otherwise)).rstrip(".") + "."
    message = sentence.format(**details, input=given)
    if kind in _SPEAK_FOR_THEMSELVES or not isinstance(given, int | float | str):
        return message + "."
    shown = given if isinstance(given, int | float) else f"“{given[:40]}”"
    return f"{message}, got {shown}."


def read_plain(model: type[Some], body: Any, at: str = "") -> Some:
    """A value from plain data.

    Args:
        model: the kind of value.
        body: as parsed from JSON or a form.

    Raises:
        InvalidInput: with a sentence for each place at fault.
    """
    try:
        return model.model_validate(body)
    except ValidationError as wrong:
        raise InvalidInput(problems_of(wrong, at)) from None


def unique_name(name: str, taken: Iterable[str]) -> str:
    """`name`, or `name2`, `name3`, … so that it is not yet taken."""
    taken = set(taken)
    count, found = 1, name
    while found in taken:
        count += 1
        found = f"{name}{count}"
    return found
