"""The pacing notation: text and items are two faces of the same run."""

import random
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from oikotherm.core.errors import Refused
from oikotherm.core.fields import DIRS
from oikotherm.core.job.identity import align
from oikotherm.core.job.model import (
    Crossover,
    DeviceItem,
    Leg,
    Lie,
    Pass,
    Pipe,
    PipeChange,
    Point,
    Remark,
    Run,
    SetItem,
    Tee,
    TwinOf,
)
from oikotherm.core.job.notation import parse_run
from oikotherm.core.job.words import Style
from oikotherm.core.job.writing import item_text, run_text
from tests.jobs import CATALOGUE, STYLE

SAMPLE = (
    "F1 from BLR.flow cu-m 22: D350 [iso] W1850 (wall 220) W400 *T1 W2000 *T2 =cu-m 15 {floor} N600 {view} U450 "
    "-> R3.left"
)
INCH = Style(CATALOGUE, "north-american", "in")
COMMA = Style(CATALOGUE, "continental", "mm")

ids = st.from_regex(r"\A[A-Z][A-Z0-9]{0,3}\Z").filter(lambda name: name not in ("HANDLE", "SET"))
dirs = st.sampled_from(DIRS)
turned = st.builds(lambda d, a, e: f"{d}+{a}{e}", st.sampled_from("NS"), st.integers(1, 179), st.sampled_from("EWUD"))
millimetres = st.integers(1, 9_999_999).map(lambda micro: micro / 1000) | st.integers(1, 20_000).map(float)


def leg_of(way, mm, basis, band, share):
    """A leg; one with a length may float by a band and be shifted within it."""
    if mm is None:
        return Leg(id="i1", dir=way)
    shift = 0.0 if band is None else max(round(band * share, 3), -mm)
    return Leg(id="i1", dir=way, length_mm=mm, basis=basis, band_mm=band, shift_mm=shift)


legs = st.builds(
    leg_of,
    dirs | turned,
    st.none() | millimetres,
    st.sampled_from(("taped", "assumed")),
    st.none() | st.integers(1, 400).map(float) | st.integers(1, 99_999).map(lambda micro: micro / 1000),
    st.sampled_from((0, 0, -1, 1, 0.5, -0.37)),
)
devices = st.builds(
    DeviceItem,
    id=st.just("i1"),
    part=st.sampled_from(("iso", "check", "drain", "pump")),
    name=st.none() | ids,
    arrow=st.sampled_from(("with", "against", "none")),
    handle=st.none() | dirs,
    setting=st.none() | st.from_regex(r"\A[0-9a-z.]{1,6}\Z"),
)
drops = st.integers(1, 999_999).map(lambda micro: micro / 1000)
tees = st.builds(
    Tee, id=st.just("i1"), name=ids, outlet=st.none() | dirs, closed=st.sampled_from((None, "plug", "cap"))
) | st.builds(
    Tee, id=st.just("i1"), name=ids, outlet=st.none() | dirs, closed=st.sampled_from(("plug", "cap")), drop_mm=drops
)
passes = st.builds(
    Pass,
    id=st.just("i1"),
    through=st.sampled_from(("wall", "floor", "ceiling")),
    thickness_mm=millimetres,
    sleeve=st.booleans(),
) | st.builds(lambda n: Pass(id="i1", through="joists", count=n), st.none() | st.integers(1, 999))
changes = st.builds(
    lambda pipe: PipeChange(id="i1", pipe=pipe),
    st.sampled_from([Pipe(code=code, size=size) for code, size in CATALOGUE.pipes] + [Pipe(code="cu-m", size="?")]),
)
lies = st.builds(
    Lie,
    id=st.just("i1"),
    place=st.sampled_from(("view", "floor", "loft")),
    lag_mm=st.none() | st.integers(0, 9_999_999).map(lambda micro: micro / 1000),
    clip_mm=st.none() | millimetres.map(lambda mm: max(mm, 50.0)),
    fall=st.none()
    | st.just(0.0)
    | st.integers(1, 500).map(lambda n: round(1 / n, 6))
    | st.integers(1, 10**6).map(lambda n: n / 10**6),
)
remarks = st.builds(
    lambda t: Remark(id="i1", text=" ".join(t.split())),
    st.text("abc [](){}->*=#'\"", min_size=1, max_size=20).filter(lambda t: t.split()),
)
heights = st.integers(1, 999_999).map(lambda micro: micro / 1000)
angles = st.sampled_from((45.0, 30.0, 22.5, 60.0)) | st.integers(5_000, 75_000).map(lambda milli: milli / 1000)
sets = st.builds(SetItem, id=st.just("i1"), side=dirs, height_mm=heights, angle_deg=angles) | st.builds(
    SetItem,
    id=st.just("i1"),
    side=st.sampled_from("NS"),
    height_mm=heights,
    angle_deg=angles,
    and_side=st.sampled_from("UDEW"),
    and_mm=heights,
)
crossovers = st.builds(Crossover, id=st.just("i1"), side=dirs, clear_mm=heights, angle_deg=angles, over=st.none() | ids)
items = st.lists(
    sets
    | crossovers
    | legs
    | devices
    | tees
    | st.builds(Point, id=st.just("i1"), name=ids)
    | passes
    | changes
    | lies
    | remarks,
    max_size=25,
)


def named_once(found):
    """The items with ids in order, without a second use of a name."""
    names, kept = set(), []
    for item in found:
        if isinstance(item, Tee | Point):
            if item.name in names:
                continue
            names.add(item.name)
        kept.append(item.model_copy(update={"id": f"i{len(kept) + 1}"}))
    return kept


def run_of(found, finish="cap"):
    return Run(
        id="F1",
        service="heating",
        role="flow",
        start="A.out",
        pipe=Pipe(code="cu-m", size="22"),
        items=tuple(found),
        finish=finish,
    )


class RoundTripTest(unittest.TestCase):
    def test_the_sample_line_is_canonical(self):
        parsed = parse_run(SAMPLE, STYLE)
        run = run_of(parsed.items, "R3.left").model_copy(update={"start": "BLR.flow"})
        self.assertEqual(run_text(run, STYLE), SAMPLE)

    @settings(max_examples=400, deadline=None)
    @given(items, st.sampled_from((STYLE, INCH, COMMA)), st.sampled_from(("cap", "none", "R3.left")))
    def test_items_survive_text_and_text_survives_items(self, found, style, finish):
        run = run_of(named_once(found), finish)
        text = run_text(run, style)
        parsed = parse_run(text, style)
        kept, _ = align(parsed.items, run.items, 1000, style)
        self.assertEqual(kept, run.items)
        again = run.model_copy(update={"items": parsed.items})
        self.assertEqual(run_text(again, style), text)
        said = [item for item in parsed.items if isinstance(item, Leg)]
        for field in ("length_mm", "band_mm", "shift_mm"):
            was = [getattr(leg, field) for leg in run.items if isinstance(leg, Leg)]
            self.assertEqual([getattr(leg, field) for leg in said], was)

    @settings(deadline=None)
    @given(dirs, heights, st.sampled_from((STYLE, INCH, COMMA)))
    def test_a_twin_survives_text(self, side, mm, style):
        run = run_of([]).model_copy(update={"twin_of": TwinOf(run="F2", side=side, spacing_mm=mm)})
        text = run_text(run, style)
        parsed = parse_run(text, style)
        self.assertEqual((parsed.twin, parsed.items), (run.twin_of, ()))
        self.assertEqual(run_text(run.model_copy(update={"twin_of": parsed.twin}), style), text)

    def test_loose_typing_means_the_same(self):
        loose = 'f1 FROM blr.flow copper 22:d350[iso]W7 1/2" u 1.5 m  *t1 =copper 15 n? -> CAP'
        parsed = parse_run(loose, STYLE)
        run = run_of(parsed.items)
        self.assertEqual(
            " ".join(item_text(item, STYLE) for item in run.items), 'D350 [iso] W7-1/2" U1.5m *T1 =cu-m 15 N?'
        )

    def test_a_repeat_is_written_out_with_names_of_its_own(self):
        for said, canonical in (
            ("3x<W600 *> N200", "W600 *T1 W600 *T2 W600 *T3 N200"),
            ("2x< W600 [iso] >", "W600 [iso] W600 [iso]"),
            ('*T2 2x<W7 1/2" *>', '*T2 W7-1/2" *T1 W7-1/2" *T3'),
            ("2x<N100 [check >] {floor}>", "N100 [check >] {floor} N100 [check >] {floor}"),
            ("0012x<N1>", " ".join(["N1"] * 12)),
        ):
            parsed = parse_run(f"from A.out cu-m 15: {said}", STYLE)
            self.assertEqual(" ".join(item_text(item, STYLE) for item in parsed.items), canonical)
        for said in ("3x<W600 *", "2x<N1 2x<N2>>", "9999x<N1 N2 N3>", "0x<N1>", "2x<N1 Q>"):
            with self.subTest(said=said), self.assertRaises(Refused):
                parse_run(f"from A.out cu-m 15: {said}", STYLE)

    def test_a_floating_leg_is_read_as_it_is_said(self):
        for said, canonical, style in (
            ("E3000+-150", "E3000+-150", STYLE),
            ("e3000 +- 150", "E3000+-150", STYLE),
            ("E3000 \N{PLUS-MINUS SIGN} 15cm", "E3000+-150", STYLE),
            ("E3000+-150@3085", "E3000+-150@3085", STYLE),
            ("E3.5m +-150 @ 3400", "E3.5m+-150@3400", STYLE),
            ("E3000?+-150", "E3000?+-150", STYLE),
            ("E3000+-150?", "E3000?+-150", STYLE),
            ("E10' +-6\" @ 10'3\"", "E10'+-6@123", INCH),
            ("E2,5m+-1,5cm", "E2,5m+-15", COMMA),
        ):
            with self.subTest(said=said):
                (leg,) = parse_run(f"from A.out cu-m 15: {said} -> cap", style).items
                self.assertEqual(item_text(leg, style), canonical)
        (leg,) = parse_run("from A.out cu-m 15: E3000+-150@3085", STYLE).items
        self.assertEqual((leg.length_mm, leg.band_mm, leg.shift_mm, leg.shifted_mm), (3000, 150, 85, 3085))

    def test_how_long_a_piece_may_be_is_said_with_how_the_pipe_lies(self):
        (lie,) = parse_run("from A.out cu-m 15: {loft longest 2.4m}", STYLE).items
        self.assertEqual((lie.longest_mm, item_text(lie, STYLE)), (2400, "{loft longest 2400}"))

    def test_a_bare_star_takes_the_next_free_name(self):
        parsed = parse_run("from A.out cu-m 15: N1 * N1 *T1 N1 *", STYLE)
        self.assertEqual([item.name for item in parsed.items if isinstance(item, Tee)], ["T2", "T1", "T3"])

    def test_a_change_of_the_pace_unit_changes_no_length(self):
        run = run_of(parse_run("from A.out cu-m 15: N1850 E7-1/2in U600?", STYLE).items)
        text = run_text(run, INCH)
        again = parse_run(text, INCH).items
        self.assertEqual([leg.length_mm for leg in again], [1850, 190.5, 600])


class RefusedTest(unittest.TestCase):
    def test_errors_point_at_the_word(self):
        for text, word in (
            ("F1 from A.out cu-m 22: W1850 X33 N2", "X33"),
            ("F1 from A.out cupper 22: W1", "cupper"),
            ("F1 from A.out cu-m 2o: W1", "2o"),
            ("F1 from A.out cu-m 22: W1 [iso W3", "[iso W3"),
            ("F1 from A.out cu-m 22: W1,5", "W1,5"),
            ("F1 from A.out cu-m 22: W5 N+30S5", "N+30S5"),
            ("F1 from A.out cu-m 22: W5 {roof}", "{roof}"),
            ("F1 from A.out cu-m 22: W5 (wall)", "(wall)"),
            ("F1 from A.out cu-m 22: W5 *T1 *T1", "*T1"),
            ("F1 from A.out cu-m 22: W5 ~N50@80", "~N50@80"),
            ("F1 from A.out cu-m 22: W5 ~N50+S20", "~N50+S20"),
            ("F1 from A.out cu-m 22: W5 ^U over C1", "^U over C1"),
            ("F1 from A.out cu-m 22: W5 twin F1 N50", "twin"),
            ("F2 from A.out cu-m 22: twin F1 50", "twin F1 50"),
            ("F1 from A.out cu-m 22: 3x<W600 *", "3x<W600 *"),
            ("F1 from A.out cu-m 22: W5 -> R3.left W3", "W3"),
            ("F1 from A.out cu-m 22: W", "W"),
            ("F1 from A.out cu-m 22: W300+-", "W300+-"),
            ("F1 from A.out cu-m 22: W?+-50", "W?+-50"),
            ("F1 from A.out cu-m 22: W300+-50@400", "W300+-50@400"),
            ("F1 from A.out cu-m 22: W300@310", "W300@310"),
            ("F1 from A.out cu-m 22: W300+-50@", "W300+-50@"),
            ("F1 from A.out cu-m 22: [iso handle Q]", "[iso handle Q]"),
        ):
            with self.subTest(text=text), self.assertRaises(Refused) as caught:
                parse_run(text, STYLE)
            low, high = caught.exception.where
            self.assertEqual(text[low:high], word)
            self.assertTrue(caught.exception.expected)

    def test_ten_thousand_random_lines_give_a_run_or_a_refusal(self):
        rng = random.Random(20)
        pieces = [
            *SAMPLE.split(),
            "W?",
            "#",
            ";",
            "->",
            "*",
            "=",
            "(joists",
            ")",
            "{",
            "3x<",
            "~N5",
            "^",
            "twin",
            ":",
            ".P1",
            'W7 1/2"',
            "½",
            "\n",
            "'",
            "é",
            "\x00",
            "9" * 40,
        ]
        good = 0
        for number in range(10_000):
            if number % 2:
                text = "".join(rng.choice(SAMPLE + "[](){}<>#;:.?*=~^\"'+-/, xyzßΔ") for _ in range(rng.randrange(90)))
                text = "F1 from BLR.flow cu-m 22: " + text if number % 4 == 1 else text
            else:
                words = SAMPLE.split()
                for _ in range(rng.randrange(6)):
                    words.insert(rng.randrange(len(words) + 1), rng.choice(pieces))
                    del words[rng.randrange(len(words))]
                text = " ".join(words)
            try:
                parsed = parse_run(text, STYLE)
            except Refused as refused:
                self.assertTrue(refused.expected)
                continue
            run = run_of(parsed.items)
            self.assertEqual(parse_run(run_text(run, STYLE), STYLE).items, parsed.items)
            good += 1
        self.assertGreater(good, 300)


class AlignTest(unittest.TestCase):
    def retype(self, old, new):
        before = parse_run(f"from A.out cu-m 15: {old}", STYLE).items
        after, free = align(parse_run(f"from A.out cu-m 15: {new}", STYLE).items, before, 100, STYLE)
        return [item.id for item in after], free

    def test_ids_survive_a_change_an_insertion_and_a_deletion(self):
        self.assertEqual(self.retype("N1 E2 S3 W4", "N1 E250 S3 W4"), (["i1", "i2", "i3", "i4"], 100))
        self.assertEqual(self.retype("N1 E2 S3 W4", "N1 E2 [iso] S3 W4"), (["i1", "i2", "i100", "i3", "i4"], 101))
        self.assertEqual(self.retype("N1 E2 S3 W4", "N1 S3 W4"), (["i1", "i3", "i4"], 100))
        self.assertEqual(self.retype("N1 E2 *T1 N1 E2 *T2", "N1 E2 *T2"), (["i1", "i2", "i6"], 100))
        self.assertEqual(self.retype("N1 E2", "U7 N1 E2")[0][1:], ["i1", "i2"])
