"""Models of what people choose, checked with a path to the value that is wrong, said in one sentence."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Any, TypeVar

from pydantic import AllowInfNan, ConfigDict, GetCoreSchemaHandler, GetJsonSchemaHandler, TypeAdapter, ValidationError
from pydantic_core import CoreSchema, core_schema

from armuto.text import shown

T = TypeVar("T")
Number = Annotated[float, AllowInfNan(False)]
Numbers3 = tuple[Number, Number, Number]
Numbers4 = tuple[Number, Number, Number, Number]
STRICT = ConfigDict(extra="forbid")


@dataclass(frozen=True)
class Within:
    """Annotates a number that lies between two others, both included; true and false are no numbers."""

    least: float
    most: float

    def __get_pydantic_core_schema__(self, source: Any, handler: GetCoreSchemaHandler) -> CoreSchema:
        number = core_schema.no_info_before_validator_function(_no_switch, handler(source))
        return core_schema.no_info_after_validator_function(self._check, number)

    def __get_pydantic_json_schema__(self, schema: CoreSchema, handler: GetJsonSchemaHandler) -> dict[str, Any]:
        return {"type": "number", "minimum": self.least, "maximum": self.most}

    def _check(self, number: float) -> float:
        if not self.least <= number <= self.most:
            raise ValueError(f"{number:g} is not from {self.least:,.10g} to {self.most:,.10g}")
        return number


def _no_switch(value: Any) -> Any:
    if isinstance(value, bool):
        raise ValueError(f"{value} is not a number")
    return value


def read(adapter: TypeAdapter[T], data: Any, what: str) -> T:
    """A model from plain data. Raises ValueError with one sentence that names the wrong value by its path."""
    try:
        return adapter.validate_python(data)
    except ValidationError as problem:
        raise ValueError(sentence(problem, what)) from None
    except UnicodeEncodeError as problem:
        # Half a character, as JSON can have it, which no text can hold.
        raise ValueError(f"{shown(problem.object)} is no text that can be kept") from None


def sentence(problem: ValidationError, what: str) -> str:
    """The first thing that is wrong. what: the kind of thing whose names are looked up, such as "setting"."""
    error = problem.errors(include_url=False)[0]
    path = ", ".join(shown(step) for step in error["loc"] if step not in ("[key]", "int", "float"))
    wrong = shown(repr(error["input"]))
    if error["type"] in ("unexpected_keyword_argument", "extra_forbidden"):
        return f"there is no {what} “{path}”"
    if error["type"] in ("missing", "missing_argument"):
        return f"“{path}” is missing"
    if error["type"] == "union_tag_invalid":
        allowed = error["ctx"]["expected_tags"].replace("'", "")
        return f"“{shown(error['ctx']['tag'])}” is not one of {allowed}"
    if error["type"] == "union_tag_not_found":
        return f"“{error['ctx']['discriminator'].strip(chr(39))}” is missing"
    if error["type"] == "literal_error":
        allowed = error["ctx"]["expected"].replace("'", "").replace(" or ", ", ")
        return f"{path}: “{shown(error['input'])}” is not one of {allowed}"
    if error["type"] == "value_error":
        message = str(error["ctx"]["error"])
        return f"{path}: {message}" if path else message
    if error["type"].startswith("bool"):
        return f"{path}: {wrong} is neither true nor false"
    if error["type"].startswith(("float", "int", "finite_number")):
        return f"{path}: {wrong} is not a number of the kind that is wanted"
    return f"the {what}s are damaged" + (f" at {path}" if path else "")


def reason(problem: ValueError) -> str:
    """What is wrong with a value that was handed to a model, in one sentence."""
    return sentence(problem, "value") if isinstance(problem, ValidationError) else str(problem)
