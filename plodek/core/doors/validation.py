"""What is wrong with a value, in our words: one sentence for each kind of error that pydantic tells."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Final

from pydantic_core import ErrorDetails

_NAMED = "takes named values, as in {{ … }}"
_WORDS: Final[Mapping[str, str]] = {
    "bool_parsing": "takes true or false",
    "bool_type": "takes true or false",
    "dict_type": _NAMED,
    "extra_forbidden": "is not known",
    "finite_number": "takes a finite number",
    "float_parsing": "takes a number",
    "float_type": "takes a number",
    "greater_than": "has to be more than {gt:g}",
    "greater_than_equal": "has to be {ge:g} or more",
    "int_from_float": "takes a whole number",
    "int_parsing": "takes a whole number",
    "int_parsing_size": "takes a smaller number",
    "int_type": "takes a whole number",
    "less_than": "has to be less than {lt:g}",
    "less_than_equal": "has to be {le:g} or less",
    "list_type": "takes a list",
    "literal_error": "takes {expected}",
    "missing": "is missing",
    "model_attributes_type": _NAMED,
    "model_type": _NAMED,
    "string_pattern_mismatch": "has a form that is not taken",
    "string_too_long": "takes {max_length} characters at most",
    "string_too_short": "takes {min_length} characters at least",
    "string_type": "takes a text",
    "too_long": "takes {max_length} values at most, and has {actual_length}",
    "too_short": "takes {min_length} values at least, and has {actual_length}",
    "tuple_type": "takes a list",
    "value_error": "{error}",
}


def said(error: ErrorDetails) -> str:
    """Say what is wrong with a value, after the name of its field; as it comes for kinds not met before."""
    context: dict[str, Any] = dict(error.get("ctx", {}))
    words = _WORDS.get(error["type"])
    if words is None:
        return error["msg"][0].lower() + error["msg"][1:]
    if "expected" in context:
        context["expected"] = str(context["expected"]).replace("'", "")
    found = words.format(**context)
    return found.replace("1 values", "1 value").replace("1 characters", "1 character")
