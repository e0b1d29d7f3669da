"""Colour and line pattern of every role, from the services themselves: one stylesheet for pages and files, the same for
PDF and DXF."""

from __future__ import annotations

from ..core.services import spec
from ..core.services.spec import Role

PDF_SHARE = 0.7  # of a pattern on the screen, in points of the PDF


def colours() -> dict[str, str]:
    """Role -> its colour on paper."""
    return {role.id: role.colour[0] for role in spec.roles()}


def dashes() -> dict[str, tuple[float, ...]]:
    """Role -> the lengths of line and gap of its pattern in a PDF [pt]; roles with a plain line are left out."""
    return {
        role.id: tuple(round(part * PDF_SHARE, 2) for part in role.pattern) for role in spec.roles() if role.pattern
    }


def paired() -> frozenset[str]:
    """Roles drawn as a thin pair of lines."""
    return frozenset(role.id for role in spec.roles() if role.pair)


def line_type(role: Role) -> str:
    """The DXF line type nearest to a role's pattern."""
    if not role.pattern:
        return "CONTINUOUS"
    if len(role.pattern) > 2:
        return "DASHDOT"
    return "DOT" if role.pattern[0] <= 3 else "DASHED"


def true_colour(hex_: str) -> int:
    """A colour such as #b5502f as the number DXF keeps."""
    return int(hex_.removeprefix("#"), 16)


def stylesheet(*, screen: bool = True) -> str:
    """The rules that colour a drawing and a page by role, by day, by night and on paper; for a file (not screen) as on
    paper alone."""
    roles = list(spec.roles())
    day = " ".join(f"--role-{role.id}: {role.colour[0]};" for role in roles)
    night = " ".join(f"--role-{role.id}: {role.colour[1]};" for role in roles)
    lines = (
        [
            f":root {{ {day} }}",
            f"@media (prefers-color-scheme: dark) {{ :root {{ {night} }} }}",
            f"body.paper {{ {day} }}",
        ]
        if screen
        else []
    )
    for role in roles:
        pattern = f" --dash: {' '.join(f'{part:g}' for part in role.pattern)};" if role.pattern else ""
        lines.append(f".role-{role.id} {{ --c: var(--role-{role.id}, {role.colour[0]});{pattern} }}")
    return "\n".join(lines) + "\n"
