"""Water carried through a network of known flows: what it is like at every node, by mixing, and what becomes of it on
each way."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Callable, Iterable

SWEEPS, SETTLED_K = 400, 1e-9


def carry_heat(
    ways: Iterable[tuple[str, str, str, float]],
    start: str,
    start_c: float,
    change: Callable[[str, float, float], tuple[float, float]],
) -> tuple[dict[str, tuple[float, float]], dict[str, tuple[float, float]]]:
    """(node -> temperature [C] and time of arrival [s] of its water, way -> temperature in and out [C]).

    ways: (key, from, to, flow [kg/s], above 0) as the water goes; change(key, temperature in, flow) gives the
    temperature out and how long the water takes. Nodes mix what comes in. Water that goes round without passing the
    start is settled by repeated sweeps.
    """
    leave: dict[str, list[tuple[str, str, float]]] = defaultdict(list)
    enter: dict[str, list[str]] = defaultdict(list)
    flows: dict[str, float] = {}
    tail: dict[str, str] = {}
    for key, a, b, flow in ways:
        leave[a].append((key, b, flow))
        enter[b].append(key)
        flows[key], tail[key] = flow, a
    order, ready = [], [start, *(node for node in leave if node not in enter and node != start)]
    left = {node: len(keys) for node, keys in enter.items() if node != start}
    while ready or any(left.values()):
        if not ready:  # a loop: begin it at the node nearest to being known
            ready = [min((node for node in left if left[node] > 0), key=lambda node: left[node] - len(enter[node]))]
            left[ready[0]] = 0
        node = ready.pop()
        order.append(node)
        for _, to, _ in leave[node]:
            if left.get(to, 0) > 0:
                left[to] -= 1
                if left[to] == 0:
                    ready.append(to)
    place = {node: n for n, node in enumerate(order)}
    once = all(place[tail[key]] < place[node] for node, keys in enter.items() if node != start for key in keys)
    ends: dict[str, tuple[float, float]] = {start: (start_c, 0.0)}
    temps: dict[str, tuple[float, float]] = {}
    arrive: dict[str, float] = {}
    for _ in range(SWEEPS):
        worst = 0.0
        for node in order:
            if node != start:
                known = [key for key in enter[node] if key in temps]
                total = sum(flows[key] for key in known)
                if not known:
                    ends.setdefault(node, (start_c, math.inf))
                else:
                    mixed = sum(flows[key] * temps[key][1] for key in known) / total
                    worst = max(worst, abs(mixed - ends.get(node, (math.inf, 0.0))[0]))
                    ends[node] = mixed, min(arrive[key] for key in known)
            t_in, at_s = ends[node]
            for key, _, flow in leave[node]:
                t_out, takes_s = change(key, t_in, flow)
                temps[key], arrive[key] = (t_in, t_out), at_s + takes_s
        if once or worst < SETTLED_K:
            break
    return ends, temps
