"""What a service is, below the job: its roles with letters, media and colours, and the kinds of station it owns. The
one list of them.

A service of the program is a folder beside this file whose stations.py holds SPEC. Nothing else in the program lists
services, roles, kinds, letters or colours.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from importlib import import_module
from typing import Literal

from ..errors import Refused, nearest
from .kinds import KindSpec, read_kinds

SHIPPED = ("heating", "water", "gas", "discharge", "flue")


@dataclass(frozen=True, slots=True)
class Role:
    """What runs through a pipe. temp_c, pressure_pa: the most it usually becomes (typ), what joints are asked to bear.

    run_letters: a run of this role is called by them and a number (they only suggest; nothing is computed from an id).
    colour: on paper and in the dark; pattern: lengths of line and gap on a drawing, empty for a plain line; pair: drawn
    as a thin pair. tag: the letter on a drawing; falls: least fall, drop over length, for what must run down by itself.
    """

    id: str
    run_letters: str
    medium: str
    temp_c: float
    pressure_pa: float
    colour: tuple[str, str]
    pattern: tuple[float, ...]
    tag: str
    pair: bool = False
    falls: float | None = None
    collects: bool = False
    """Its branches join on the way, as a return's do, in place of parting."""
    phase: Literal["liquid", "gas"] = "liquid"
    """What the medium is there: a liquid freezes, weighs on what is below it, and is proved with water."""


@dataclass(frozen=True, slots=True)
class ServiceSpec:
    """A service. title: as on a page; kinds: those it owns; like: another service whose pipes, parts and law it shares,
    for one that has no lines of its own in the data; runs_off: its pipes end open: they are never shut and hold no
    pressure."""

    id: str
    title: str
    roles: tuple[Role, ...]
    kinds: Mapping[str, KindSpec] = field(default_factory=dict)
    like: str = ""
    runs_off: bool = False
    through: bool = False
    """Its medium goes through its stations and comes back: they are proved and drained with the pipe. Otherwise they
    stay out of a test."""

    @property
    def temp_c(self) -> float:
        """The hottest any of its roles usually becomes [C]."""
        return max(role.temp_c for role in self.roles)

    @property
    def pressure_pa(self) -> float:
        """The highest pressure any of its roles usually bears [Pa gauge]."""
        return max(role.pressure_pa for role in self.roles)


_SPECS: dict[str, ServiceSpec] = {}
_ROLES: dict[str, tuple[ServiceSpec, Role]] = {}
_KINDS: dict[str, KindSpec] = {}


def register(spec: ServiceSpec) -> Callable[[], None]:
    """Make a service known; gives the function that takes it back. Raises ValueError for an id, role or kind that is
    taken."""
    _load()
    _add(spec)

    def take_back() -> None:
        _SPECS.pop(spec.id, None)
        for role in spec.roles:
            _ROLES.pop(role.id, None)
        for kind in spec.kinds:
            _KINDS.pop(kind, None)

    return take_back


def _add(spec: ServiceSpec) -> None:
    taken = [spec.id] if spec.id in _SPECS else []
    taken += [role.id for role in spec.roles if role.id in _ROLES] + [kind for kind in spec.kinds if kind in _KINDS]
    if taken:
        raise ValueError(f"{', '.join(taken)} exists already")
    _SPECS[spec.id] = spec
    _ROLES.update({role.id: (spec, role) for role in spec.roles})
    _KINDS.update(spec.kinds)


def _load() -> None:
    """Read the services that ship with the program, once."""
    if not _SPECS:
        for ident in SHIPPED:
            _add(import_module(f"{__package__}.{ident}.stations").SPEC)
        _KINDS.update(read_kinds(__package__))  # those nobody owns


def services() -> Mapping[str, ServiceSpec]:
    """Every service by id, in the order of the registry."""
    _load()
    return _SPECS


def service(ident: str) -> ServiceSpec:
    """A service by its id. Raises Refused with the nearest."""
    found = _SPECS.get(ident) or services().get(ident)
    if found is None:
        raise Refused("service", ident, f"a service such as {nearest(ident, _SPECS)}", next(iter(_SPECS)))
    return found


def roles() -> Iterator[Role]:
    """Every role, service by service."""
    _load()
    return (role for _, role in _ROLES.values())


def role(ident: str) -> Role:
    """A role by its id. Raises Refused with the nearest."""
    found = _ROLES.get(ident)
    if found is None:
        _load()
        found = _ROLES.get(ident)
    if found is None:
        raise Refused("role", ident, f"a role such as {nearest(ident, _ROLES)}", next(iter(_ROLES)))
    return found[1]


def service_of(role_id: str) -> str:
    """The service a role belongs to. Raises Refused for a role there is not."""
    role(role_id)
    return _ROLES[role_id][0].id


def kinds() -> Mapping[str, KindSpec]:
    """Every kind of station by id."""
    _load()
    return _KINDS


def kind(ident: str) -> KindSpec:
    """A kind of station by its id. Raises Refused with the nearest."""
    found = _KINDS.get(ident) or kinds().get(ident)
    if found is None:
        raise Refused("kind", ident, f"a kind of station such as {nearest(ident, _KINDS)}", next(iter(_KINDS)))
    return found
