"""What a derivation needs beside the job: the catalogue with the fitting book laid over it, labels, records, rates."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field

from .catalogue import Catalogue, standard
from .memory import Memory


@dataclass(frozen=True, slots=True)
class Context:
    """The figures a job is worked out with. labels: frozen labels of this job's pieces and joints, by key."""

    catalogue: Catalogue = field(default_factory=standard)
    labels: tuple[tuple[str, str], ...] = ()
    recorded: tuple[tuple[str, str, str, str], ...] = ()
    """Joints with a record: (key, label, method, pipe) as they were when it was made."""

    rates: tuple[tuple[str, float], ...] = ()
    """The firm's own minutes, by what is done, over the typical ones."""

    stock: tuple[tuple[str, int], ...] = ()
    """Parts on the van with their number, by id: the finder's own choice among equals; no design depends on it."""

    memory: Memory = field(default_factory=Memory, compare=False, repr=False)
    """Where what is derived is remembered; one for the whole program."""

    @property
    def mark(self) -> str:
        """Changes whenever a derivation could: part of the cache key."""
        return hashlib.sha256(repr((self.labels, self.recorded, self.rates, self.catalogue.mark)).encode()).hexdigest()[
            :12
        ]
