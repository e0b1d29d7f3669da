"""The order of a job as CSV."""

from __future__ import annotations

import csv
import io

from ..core.making.order import Order
from ..core.quantity import trim

COLUMNS = ("item", "title", "group", "takes", "unit", "spare", "on_van", "order", "pack", "price", "cost")


def order_csv(order: Order) -> str:
    """A line a thing, with a header; price and cost are empty where nothing is known."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    for line in order.lines:
        price = "" if line.price is None else f"{line.price.each:g}"
        cost = "" if line.cost is None else f"{line.cost:.2f}"
        writer.writerow(
            (
                line.item,
                line.title,
                line.group,
                trim(line.takes, 3),
                line.unit,
                line.spare,
                line.on_van,
                line.order,
                line.pack_said,
                price,
                cost,
            )
        )
    return out.getvalue()
