"""Nine tasks of nine practitioners, each with an answer known from the seed, done through the screens alone.

How many presses (keys going down and clicks) and seconds each takes stands in docs/tasks.md (`./kumpel bench tasks` prints it).
"""

import math
import re
import time
import unittest
from dataclasses import dataclass

from playwright.sync_api import Locator, Page, expect

from kumpel.demo.ensemble import StandIn
from kumpel.formats import krec
from kumpel.kinds.registry import KINDS
from kumpel.standins.jaw_muscle_signal import Night, usual_groups
from kumpel.standins.jaw_muscle_signal import make as make_night
from kumpel.standins.made import Made
from kumpel.standins.signals import SIGNALS
from tests.web.browser import BrowserTest

COUNT = """
window.presses = 0;
for (const what of ['keydown', 'pointerdown'])
    window.addEventListener(what, (event) => { if (!event.repeat) window.presses += 1; }, true);
"""


def taken_in(case: BrowserTest, recorder: StandIn, length_s: float, ago_s: float = 9000.0) -> Page:
    """One recording of a recorder, taken in and opened: the presses are counted from the first on."""
    case.launch(recorder).running[recorder.token].tell("record", start=time.time() - ago_s, length_s=length_s)
    page = case.sign_in()
    page.goto(f"{case.address}/take-in")
    take = page.get_by_role("button", name="Take in all 1")
    expect(take).to_be_enabled(timeout=30_000)
    page.evaluate(COUNT)
    take.click()
    page.get_by_role("link", name="review", exact=True).click(timeout=120_000)
    return page


@dataclass(frozen=True)
class Done:
    """A task that was done: what was asked, what was read, in how many presses and seconds."""

    kind: str
    question: str
    answer: str
    presses: int
    seconds: float


DONE: list[Done] = []


def made(kind: str) -> Made:
    if kind == "jaw_muscle":
        return make_night(Night(2, 660.0, groups=usual_groups(2, 660.0, 40)))
    return SIGNALS[kind](2)


class NineTasks(BrowserTest):
    watch = "0"

    def begin(self, kind: str) -> Made:
        found = made(kind)
        row = self.stored(krec.write_recording(found.recording), self.person("Emil Farkas"))
        self.sign_in()
        self.page.goto(f"{self.address}/review/{row.id}")
        self.cards().first.wait_for()
        self.page.evaluate(COUNT)
        self.kind, self.began = kind, time.monotonic()
        return found

    def answered(self, question: str, answer: str) -> None:
        presses = self.page.evaluate("window.presses")
        DONE.append(Done(self.kind, question, answer, presses, time.monotonic() - self.began))

    def cards(self) -> Locator:
        return self.page.locator("[title='Why this number?']")

    def card(self, name: str) -> float:
        text = self.page.get_by_role("button", name=re.compile(f"^{re.escape(name)}")).first.inner_text()
        found = re.search(r"-?[0-9][0-9,]*(\.[0-9]+)?", text.splitlines()[1])
        assert found is not None, text
        return float(found[0].replace(",", ""))

    def changed(self, name: str, before: float) -> float:
        self.eventually(lambda: self.card(name) != before)
        return self.card(name)

    def first_row(self, tab: str, sort: str = "", turns: int = 1) -> list[str]:
        """The cells of the first row of a table, sorted by a click on a head."""
        self.page.get_by_role("tab", name=re.compile(f"^{re.escape(tab)}")).click()
        panel = self.page.get_by_role("tabpanel")
        for _ in range(turns if sort else 0):
            panel.get_by_role("button", name=re.compile(f"^{re.escape(sort)}")).click()
        return panel.locator("tbody tr").first.locator("td").all_inner_texts()

    def test_noise_what_would_the_day_be_without_the_half_of_its_dose(self) -> None:
        found = self.begin("noise")
        before = self.card("LEX,8h")
        half = self.page.get_by_role("button", name=re.compile("^half of it in"))
        words = half.inner_text()
        half.click()
        start = re.search(r"from (\d\d):(\d\d)", words)
        assert start is not None
        at = (int(start[1]) - 7) * 3600 + int(start[2]) * 60
        # The loud task of the seed: the segments are (name, seconds, level).
        loud = next(i for i, s in enumerate(found.truth["segments"]) if s[0] == "liner change")
        begins = sum(s[1] for s in found.truth["segments"][:loud])
        self.assertTrue(begins - 60 <= at <= begins + found.truth["segments"][loud][1])
        self.page.get_by_role("button", name="type a stretch instead of dragging").click()
        dialog = self.page.get_by_role("dialog")
        minutes = int((re.search(r"in (\d+) min", words) or [0, 0])[1])
        dialog.get_by_label("From").fill(f"{start[1]}:{start[2]}:16")
        dialog.get_by_label("To", exact=True).fill(f"{start[1]}:{int(start[2]) + minutes}:18")
        dialog.get_by_label("Why?").fill("damped tool")
        self.page.keyboard.press("Enter")
        after = self.changed("LEX,8h", before)
        # Half of the energy gone, the rest stands for the day: 10 log10(1/2) + 10 log10(T / (T - t)) = -2.64 dB.
        measured = found.recording.length_s
        wanted = 10 * math.log10(0.5) + 10 * math.log10(measured / (measured - (minutes * 60 + 2)))
        self.assertAlmostEqual(after - before, wanted, delta=0.11)
        self.answered(
            "Where does half of the dose come from, and what would the day be without it?",
            f"{words}; {after} in place of {before} dB(A)",
        )

    def test_gas_when_did_carbon_monoxide_first_alarm(self) -> None:
        found = self.begin("gas")
        co = found.recording.channels["co.avg"]
        first = next(i for i, v in enumerate(co.values.tolist()) if v >= 20)
        self.page.get_by_role("button", name=re.compile("^low alarms")).click()
        events = self.page.get_by_role("region", name="Events").get_by_role("listitem")
        words = events.filter(has_text=re.compile("monoxide|CO")).first.inner_text()
        hour, minute, second = (int(x) for x in re.findall(r"\d\d", words)[:3])
        self.assertAlmostEqual((hour - 7) * 3600 + minute * 60 + second, first * co.interval_s, delta=co.interval_s)
        # Every sensor stands in its row beside its limit: nothing is pressed for that.
        rows = self.page.get_by_role("tabpanel", name="Sensors against limits").get_by_role("row").all()[1:]
        fifteen = {
            row.get_by_role("rowheader").inner_text().split()[0]: row.get_by_role("cell").nth(2).inner_text()
            for row in rows
        }
        known = {gas: float(value.strip("> *")) for gas, value in fifteen.items() if value != "–"}
        self.assertEqual(max(known, key=lambda gas: known[gas]), "CO")
        self.answered("When did carbon monoxide first alarm, and which gas had the highest 15 minutes?", words)

    def test_dust_what_would_another_factor_make_of_the_mean(self) -> None:
        found = self.begin("dust")
        field = self.page.get_by_label("Factor", exact=True)
        field.fill("2")
        card = self.page.get_by_role("button", name=re.compile("^Mean")).first
        expect(card).to_contain_text("would be so; now")
        wanted = found.truth["mean"] / found.truth["factor"] * 2
        self.assertAlmostEqual(self.card("Mean"), wanted, delta=0.01 * wanted)
        answer = f"{self.card('Mean')} mg/m3"
        field.fill("")
        self.page.keyboard.press("Tab")
        expect(card).not_to_contain_text("would")
        self.answered("What would the mean be with a factor of 2, without deciding it?", answer)

    def test_blood_pressure_what_is_the_mean_without_the_odd_reading(self) -> None:
        found = self.begin("blood_pressure")
        spoilt = found.truth["spoilt_s"][0]
        side = self.page.get_by_role("complementary", name="Decisions")
        suggestion = side.get_by_role("listitem").first
        words = suggestion.inner_text().splitlines()[0]
        hour, minute = (int(x) for x in re.findall(r"\d\d", words)[:2])
        start = found.recording.start % 86_400 + found.recording.utc_offset_min * 60
        self.assertEqual((hour * 3600 + minute * 60 - start) % 86_400 // 60, spoilt % 86_400 // 60)
        suggestion.get_by_role("button", name="leave out").click()
        self.eventually(lambda: self.systolic() == self.expected(found))
        after = self.systolic()
        self.answered("Which reading is the odd one, and what is the 24 h mean without it?", f"{words}; {after} mmHg")

    def systolic(self) -> float:
        """The first of the two means of 24 h."""
        text = self.page.get_by_role("button", name=re.compile("^24 h mean")).inner_text()
        return float(re.findall(r"(\d+)/\d+", text)[0])

    def expected(self, found: Made) -> float:
        """Mean of the systolic readings of the seed without the spoilt one, weighted as 24 h means are: plainly."""
        values = [r[1] for r in found.truth["readings"] if r[0] not in found.truth["spoilt_s"]]
        return float(round(sum(values) / len(values)))

    def test_oximetry_how_many_falls_are_left_without_the_first(self) -> None:
        found = self.begin("oximetry")
        chip = self.page.get_by_role("button", name=re.compile("^falls of 4 points"))
        count = int(chip.inner_text().split()[-1])
        self.assertEqual(count, found.truth["count4"])
        before = self.card("ODI4")
        chip.click()
        self.page.keyboard.press("ArrowDown")
        self.page.keyboard.press("x")
        self.page.get_by_role("form").get_by_role("button", name="movement").click()
        hours = found.truth["valid_s"] / 3600
        after = self.changed("ODI4", before)
        self.assertAlmostEqual(after, (count - 1) / hours, delta=0.06)
        self.answered("How many falls of 4 points, and the index without the first?", f"{count}; {after} /h")

    def test_jaw_muscle_which_type_leads_and_what_is_the_index_without_the_first(self) -> None:
        found = self.begin("jaw_muscle")
        groups = found.truth["episodes"]
        before = self.card("Both sides, episodes per hour")
        types = self.page.get_by_role("table", name="Which side, which type").locator("tbody tr")
        counts = {
            each.locator("th").inner_text().strip(): int(each.locator("td").last.inner_text()) for each in types.all()
        }
        kinds = [g["kind"] for g in groups]
        self.assertEqual(max(counts.values()), max(kinds.count(k) for k in kinds))
        row = [max(counts, key=lambda kind: counts[kind])]
        self.page.keyboard.press("ArrowDown")
        self.page.keyboard.press("x")
        self.page.get_by_role("form").get_by_role("button", name="swallowing").click()
        after = self.changed("Both sides, episodes per hour", before)
        first = groups[0]
        self.assertNotEqual(first["side"], "both")
        self.assertAlmostEqual(after / before, (len(groups) - 1) / len(groups), delta=0.02)
        self.answered("Which type is most frequent, and the index without the first?", f"{row[0]}; {after} /h")

    def test_training_which_interval_was_the_fastest(self) -> None:
        found = self.begin("training")
        ends = [e.at_s for e in found.recording.events if e.code == "interval"]
        spans = [b - a for a, b in zip([0.0, *ends], [*ends, found.recording.length_s], strict=True)]
        legs = found.truth["legs_m"]
        best = max(range(len(legs)), key=lambda i: legs[i] / spans[i])
        row = self.first_row("Intervals", "Speed", 2)
        self.assertAlmostEqual(float(row[1].replace(",", "")), legs[best], delta=0.005 * legs[best])
        self.answered("Which interval was the fastest?", f"from {row[0]}, {row[1]} m, {row[3]} km/h")

    def test_vehicle_what_is_the_best_lap_and_the_next_best(self) -> None:
        found = self.begin("vehicle")
        counted = sorted(
            lap["time_s"] for i, lap in enumerate(found.truth["laps"], 1) if i not in found.truth["spoilt"]
        )
        before = self.card("Best lap")
        self.assertAlmostEqual(before, counted[0], delta=0.05)
        row = self.page.locator("tr[data-lap]").filter(has_text="reference")
        lap = row.get_attribute("data-lap")
        row.click()
        self.page.keyboard.press("x")
        self.page.get_by_role("form").get_by_role("button", name="traffic").click()
        after = self.changed("Best lap", before)
        self.assertAlmostEqual(after, counted[1], delta=0.05)
        self.answered("Which lap is the best, and what if it was cut?", f"lap {lap}, {before} s; then {after} s")

    def test_resuscitation_where_was_the_longest_pause(self) -> None:
        found = self.begin("resuscitation")
        self.assertAlmostEqual(self.card("Longest pause"), max(found.truth["pauses"]), delta=0.06)
        row = self.first_row("Pauses over 10 s", "Length", 2)
        self.assertAlmostEqual(float(row[1]), max(found.truth["pauses"]), delta=0.06)
        self.answered("When was the longest pause, and how long?", f"{row[0]}, {row[1]} s")


class EveryKind(unittest.TestCase):
    def test_there_is_a_task_for_every_kind(self) -> None:
        names = [n for n in dir(NineTasks) if n.startswith("test_")]
        for kind in KINDS:
            self.assertTrue(any(n.startswith(f"test_{kind}_") for n in names), kind)


if __name__ == "__main__":
    unittest.main()
