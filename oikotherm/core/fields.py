"""The types the document's fields are made of: ids, names, measures, and the frozen base of all its models."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, StringConstraints

from .catalogue.ends import canonical_end
from .errors import Refused

State = Literal["new", "keep", "remove"]
Facing = Literal["left", "right", "out", "back", "up", "down"]
Compass = Literal["N", "E", "S", "W"]
DIRS = ("N", "E", "S", "W", "NE", "SE", "SW", "NW", "U", "D")
ID_PATTERN = r"[A-Z][A-Z0-9]{0,7}"
PORT_PATTERN = r"[a-z][a-z0-9-]{0,19}"
SIZE_PATTERN = r"\?|\d{1,3}(?:\.\d{1,2})?|\d{1,2}/\d{1,2}|\d{1,2}-\d{1,2}/\d{1,2}|EHD\d{2}"
WAY_PATTERN = r"(?:N|E|S|W|NE|SE|SW|NW|U|D)(?:\+\d{1,3}(?:\.\d{1,3})?(?:N|E|S|W|NE|SE|SW|NW|U|D))?"
ANCHOR_PATTERN = rf"{ID_PATTERN}\.(?:{PORT_PATTERN}|{ID_PATTERN})"


def _end(text: str) -> str:
    try:
        return canonical_end(text)
    except Refused as refused:
        raise ValueError(f"expected {refused.expected}, for example {refused.example}") from None


def plain_line(text: str) -> str:
    if any(ord(sign) < 32 for sign in text):
        raise ValueError("expected text on one line")
    return text


Id = Annotated[str, StringConstraints(pattern=f"^{ID_PATTERN}$")]
ItemId = Annotated[str, StringConstraints(pattern=r"^i[1-9]\d{0,8}$")]
PortName = Annotated[str, StringConstraints(pattern=f"^{PORT_PATTERN}$")]
Dir = Literal["N", "E", "S", "W", "NE", "SE", "SW", "NW", "U", "D"]
AnchorText = Annotated[str, StringConstraints(pattern=f"^{ANCHOR_PATTERN}$")]
EndText = Annotated[str, AfterValidator(_end)]
Size = Annotated[str, StringConstraints(pattern=f"^(?:{SIZE_PATTERN})$")]
Code = Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9-]{0,15}$")]
PartName = Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9/x.-]{0,39}$")]
Line = Annotated[str, StringConstraints(max_length=200), AfterValidator(plain_line)]
Text = Annotated[str, StringConstraints(max_length=2000)]
MOST_KEY = 80
Key = Annotated[str, StringConstraints(min_length=1, max_length=MOST_KEY)]
Coordinate = Annotated[float, Field(ge=-1e6, le=1e6)]
Positive = Annotated[float, Field(gt=0, le=1e9)]
Micrometres = AfterValidator(lambda mm: round(mm, 3))
NotNegative = Annotated[float, Field(ge=0, le=1e9)]
Kelvin = Annotated[float, Field(gt=0, le=200)]
TempC = Annotated[float, Field(ge=-60, le=250)]
XY = tuple[Coordinate, Coordinate]
XYZ = tuple[Coordinate, Coordinate, Coordinate]
Box = tuple[XYZ, XYZ]


class Frozen(BaseModel):
    """Base of the document's parts: immutable, closed, finite."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, use_attribute_docstrings=True)
