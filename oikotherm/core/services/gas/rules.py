"""Rules of gas pipe: what comes before what on the way to an appliance."""

from __future__ import annotations

from collections.abc import Iterable

from ...job.model import DeviceItem, split_anchor
from ...rules.registry import Remedy, RuleBook, Said, View

rule = RuleBook("gas")
SHUT = ("iso", "gate")


@rule(
    "union-before-valve",
    "mind",
    "a union before its valve",
    "To take the appliance off, the union is opened: with the valve behind it the gas of the whole house is open too. "
    "The valve comes first, the union after it.",
    "gas codes; licensed work",
)
def union_before_valve(view: View) -> Iterable[Said]:
    titles = view.context.catalogue.device_titles()
    for run in view.job.runs:
        if run.service != "gas" or run.state == "remove":
            continue
        station = view.job.station(split_anchor(run.finish)[0])
        items = list(run.items) if station is not None else list(reversed(run.items))
        union: DeviceItem | None = None
        shut = False
        for item in items:
            if item.kind == "tee":
                union, shut = None, False  # what branches off there is still open
            if not isinstance(item, DeviceItem):
                continue
            if item.part == "union" and not shut:
                union = item
            elif item.part in SHUT:
                if union is not None:
                    node = view.fitted.pipework.nodes.get(f"{union.id}/device")
                    name = f" {item.name}" if item.name else ""
                    yield Said(
                        (run.id, union.id),
                        f"{run.id} has its union before the {titles.get(item.part, item.part)}.",
                        (
                            Remedy(
                                "Change the two over",
                                (
                                    {
                                        "do": "retype_item",
                                        "run": run.id,
                                        "item": union.id,
                                        "text": f"[{item.part}{name}]",
                                    },
                                    {"do": "retype_item", "run": run.id, "item": item.id, "text": "[union]"},
                                ),
                                f"on {run.id} the valve first, then the union",
                            ),
                        ),
                        node.at if node else None,
                    )
                union, shut = None, True


def _retyped(run: str, item: str, text: str) -> dict[str, str]:
    return {"do": "retype_item", "run": run, "item": item, "text": text}


RULES = tuple(rule.rules.values())
