"""The joint card's drawing: every joint method cut open along the pipe, to true proportion from the catalogue's
measures. Bodies are typical of the class; pipe, bore and insertion are the table's.
"""

from __future__ import annotations

from collections.abc import Callable

from ...core.catalogue import Catalogue, End
from ...core.catalogue.parts import end_bore_mm, end_od_mm, insertion_mm
from ...core.joints.law import mouth as end_for
from . import plain_pipe, screwed
from .drawn import section_svg
from .shapes import JointSection, Measures

__all__ = ["JointSection", "section", "section_svg"]
PIPE_STYLE = {
    "copper": "copper",
    "plastic": "plastic",
    "multilayer": "multilayer",
    "steel": "steel",
    "stainless": "steel",
}

_DRAWERS: dict[str, Callable[[JointSection, Measures], None]] = {
    "capillary": plain_pipe.capillary,
    "braze": plain_pipe.braze,
    "compression": plain_pipe.compression,
    "compression-plastic": plain_pipe.compression_plastic,
    "compression-mlc": plain_pipe.compression_mlc,
    "solvent": plain_pipe.solvent,
    "push-fit": plain_pipe.push_fit,
    "push-fit-metal": plain_pipe.push_fit_metal,
    "press": plain_pipe.press,
    "press-mlc": plain_pipe.press_mlc,
    "expansion": plain_pipe.expansion,
    "flare": plain_pipe.flare,
    "thread": screwed.thread,
    "union": screwed.union,
    "washer": screwed.washer,
    "tail": screwed.tail,
    "csst": screwed.csst,
    "connector": screwed.connector,
    "dielectric": screwed.dielectric,
    "slip": screwed.slip,
}


def section(catalogue: Catalogue, method: str, pipe: End) -> JointSection:
    """The section of a joint method on a pipe, or on the end of a threaded part. Measures that are not known are
    typical."""
    mouth = end_for(catalogue, method, pipe)
    od = end_od_mm(catalogue, pipe) or {"3/8": 16.0, "1/2": 20.0, "3/4": 27.0, "1": 34.0}.get(pipe.size, 22.0)
    bore = end_bore_mm(catalogue, pipe) if pipe.family in catalogue.systems else None
    bore = bore if bore is not None and bore < od else od * 0.82
    depth = (insertion_mm(catalogue, mouth) if mouth else insertion_mm(catalogue, pipe)) or 0.0
    system = catalogue.systems.get(pipe.family)
    style = PIPE_STYLE.get(system.material, "steel") if system else "steel"
    made = JointSection(catalogue.methods[method].title if method in catalogue.methods else method, od)
    insert_bore = end_bore_mm(catalogue, mouth) if mouth else None
    _DRAWERS[method](made, Measures(od / 2, bore / 2, depth, style, insert_bore, pipe, catalogue))
    return made
