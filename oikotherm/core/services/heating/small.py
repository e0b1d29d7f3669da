"""The small jobs of every day on a heating circuit: what each asks, how it is begun, the sheet that follows."""

from __future__ import annotations

from ...work.small_jobs import Ask, SmallJob
from .small_base import COUNTED, FLOW, FOUND_BY, LATER, PANEL, WATER, bar_ask, pipe_ask
from .small_gauge import begin_pressure, pressure_sheet
from .small_parts import begin_guard, begin_joint, begin_pump, guard_sheet, joint_sheet, pump_sheet
from .small_radiators import begin_add, begin_hang, begin_move, begin_valve, hang_sheet, moved_sheet, valve_sheet
from .tasks import fixings

SMALL_JOBS = {
    one.id: one
    for one in (
        SmallJob(
            "valve",
            "Radiator valve changed",
            "flow marked and turns counted first, union side first, nut last",
            (
                Ask(
                    "which",
                    "Which valve",
                    "choice",
                    "trv",
                    (("trv", "thermostatic"), ("lockshield", "lockshield"), ("both", "both")),
                ),
                pipe_ask(),
                Ask(
                    "emptied",
                    "Water",
                    "choice",
                    "house",
                    (
                        ("house", "house drained to below it"),
                        ("alone", "this radiator only, cap ready"),
                        ("frozen", "both pipes frozen"),
                    ),
                    drawn=False,
                ),
                *PANEL,
                *WATER,
                FLOW,
                FOUND_BY,
                COUNTED,
            ),
            begin_valve,
            valve_sheet,
        ),
        SmallJob(
            "hang",
            "Radiator hung on its stubs",
            "valve centres against the stubs, what to trim, brackets and fixings",
            (
                *PANEL,
                pipe_ask(),
                Ask("centres", "Between the stubs (0: not measured)", "length", "0", most=4000),
                Ask("stand", "Stubs stand out of the floor", "length", "200", most=1500),
                Ask("free", "Stubs push back", "flag", "", drawn=False),
                Ask("underside", "Underside above the floor", "length", "150", least=20, most=1500),
                Ask("bracket", "Bracket hole above the underside", "length", "520", most=2400, drawn=False),
                Ask(
                    "weight", "Empty weight by its label (0: typical)", "number", "0", most=400, unit="kg", drawn=False
                ),
                Ask("wall", "Wall", "choice", "masonry", tuple((one, one) for one in fixings()), drawn=False),
                *WATER,
                FLOW,
                FOUND_BY,
            ),
            begin_hang,
            hang_sheet,
        ),
        SmallJob(
            "move",
            "Radiator moved",
            "new place along the wall, pipes lengthened below the floor",
            (
                *PANEL,
                pipe_ask(),
                Ask("along", "Moved along the wall by", "length", "1200", least=100, most=10000),
                Ask("to", "To the", "choice", "right", (("right", "right"), ("left", "left"))),
                Ask("floor", "Floor thickness", "length", "22", least=10, most=55),
                Ask("gap", "Floor to the mouth of the valve", "length", "100", least=80, most=120, drawn=False),
                LATER,
                *WATER,
                FLOW,
                FOUND_BY,
                COUNTED,
            ),
            begin_move,
            moved_sheet,
        ),
        SmallJob(
            "add",
            "Radiator added",
            "two tees cut into the mains, pipes below the floor, valves shut until it hangs",
            (
                *PANEL,
                pipe_ask(),
                pipe_ask("cu-m 22", "main", "Pipe of the mains"),
                Ask("out", "Mains from the valves, square", "length", "600", least=200, most=10000),
                Ask("floor", "Floor thickness", "length", "22", least=10, most=55),
                Ask("gap", "Floor to the mouth of the valve", "length", "100", least=80, most=120, drawn=False),
                LATER,
                *WATER,
                FLOW,
                FOUND_BY,
            ),
            begin_add,
            moved_sheet,
        ),
        SmallJob(
            "pump",
            "Pump changed",
            "arrow, length between faces, washers, valves shut or drained",
            (
                pipe_ask("cu-m 22"),
                Ask("old_length", "Old pump, between faces", "length", "180", least=80, most=400),
                Ask("new_length", "New pump, between faces", "length", "180", least=80, most=400),
                Ask("valves", "Its two valves hold", "flag", "yes"),
                Ask("setting", "Old setting or head", "text", "", later=True, drawn=False),
            ),
            begin_pump,
            pump_sheet,
        ),
        SmallJob(
            "guard",
            "Filling point or safety valve changed",
            "pressures read first, same set pressure, tried by hand",
            (
                Ask("which", "Which", "choice", "filling", (("filling", "filling point"), ("safety", "safety valve"))),
                pipe_ask(),
                Ask("set_bar", "Safety valve set to", "number", "3", least=1, most=10, unit="bar"),
                Ask(
                    "cold_bar",
                    "Cold pressure (0: not read)",
                    "number",
                    "0",
                    most=20,
                    unit="bar",
                    later=True,
                    drawn=False,
                ),
                bar_ask("hot_bar", "Hot pressure (0: not read)"),
            ),
            begin_guard,
            guard_sheet,
        ),
        SmallJob(
            "pressure",
            "Falling pressure found",
            "the gauge read cold and hot for days, and what it tells",
            (
                Ask("house_l", "Water in the house (0: not known)", "number", "0", most=5000, unit="L", drawn=False),
                Ask("vessel_l", "Vessel (0: not known)", "number", "0", most=500, unit="L", drawn=False),
                Ask("precharge_bar", "Its pre-charge", "number", "0.7", most=10, unit="bar", drawn=False),
                Ask("safety_bar", "Safety valve set to", "number", "3", least=1, most=10, unit="bar", drawn=False),
            ),
            begin_pressure,
            pressure_sheet,
        ),
        SmallJob(
            "joint",
            "One joint",
            "two pipes, what takes them together, its card",
            (
                Ask(
                    "service",
                    "Carries",
                    "choice",
                    "heating",
                    (("heating", "heating water"), ("water", "fresh water"), ("gas", "gas")),
                ),
                pipe_ask(name="a", label="This pipe"),
                pipe_ask("cu-m 15", "b", "That pipe"),
                Ask(
                    "method",
                    "Made by",
                    "choice",
                    "usual",
                    (
                        ("usual", "what the house does"),
                        ("capillary", "soldered"),
                        ("compression", "compression"),
                        ("press", "pressed"),
                        ("push-fit", "push-fit"),
                    ),
                ),
            ),
            begin_joint,
            joint_sheet,
        ),
    )
}
