"""Listening by measurement to first balances of made programmes whose truth is known: ./recitant bench ear [--write].

Programmes: tests/signals/ear.py; the judge: tests/oracles/ear_judge.py. Written to docs/benchmarks-ear.md.
"""

import json
import sys
import tempfile
from dataclasses import dataclass
from pathlib import Path

import numpy as np

PROJECT = Path(__file__).parents[2]
sys.path.insert(0, str(PROJECT / "tests"))

from oracles import ear_judge, takes_judge  # noqa: E402  the path above comes first
from oracles.ear_judge import Heard, heard  # noqa: E402
from recitant_core.measure.clearance import speech_mask  # noqa: E402
from recitant_core.measure.clip_level import clip_level  # noqa: E402
from recitant_core.transcript.lost import counted, heard_as_listener  # noqa: E402
from recitant_core.units.clock import SampleSpan  # noqa: E402
from recitant_core.units.threads import use_threads  # noqa: E402
from recitant_io.hearing.listener import listening_chunks  # noqa: E402
from recitant_io.hearing.speech import speech_spans  # noqa: E402
from recitant_io.hearing.transcriber import transcriber  # noqa: E402
from recitant_io.media.machine import n_cores  # noqa: E402
from recitant_io.store.hop_energies import source_hop_energies  # noqa: E402
from signals import MemorySource, ear, takes  # noqa: E402
from signals.balance import at_level, prompt  # noqa: E402

PAGE = PROJECT / "docs" / "benchmarks-ear.md"
HEAD = """# What a mixer would hear

Made by `./recitant bench ear --write` from first balances of programmes whose truth is known (tests/signals/ear.py:
recorded sentences at set levels; animals, machines, laughter, whispers and shouts synthesised). The judge
(tests/oracles/ear_judge.py) reads stems as they came and as they were written, and shares no code with the program.
A whisper and a shout are made from ordinary recordings: figures of real ones may differ.

| programme | figure | asked | reached | met |
| --- | --- | --- | --- | --- |
"""


@dataclass(frozen=True)
class Row:
    """A line of the page."""

    programme: str
    figure: str
    asked: str
    reached: str
    is_met: bool

    def __str__(self) -> str:
        return (
            f"| {self.programme} | {self.figure} | {self.asked} | {self.reached} | {'yes' if self.is_met else 'no'} |"
        )


class Programme:
    """One case, balanced."""

    def __init__(self, make, folder: Path, *more: str) -> None:
        self.case = make()
        self.out = ear.delivered(self.case, folder, *more)
        self.report = json.loads((self.out / "report.json").read_text())
        self.found: Heard = heard(self.case, self.out)

    def step(self, code: str) -> dict:
        """A step of the first balance, from the report."""
        return next(action for action in self.report["actions"] if action["step"] == code)

    def most(self, figure: str, asked: str, value: float, limit: float, unit: str) -> Row:
        """A row on a figure that is not to be exceeded."""
        return Row(self.case.name, figure, asked, f"{value:.1f} {unit}", bool(value <= limit + 0.05))

    def within(self, figure: str, values, low: float, high: float, unit: str = "LU") -> Row:
        """A row on figures that are to lie in a range."""
        told = ", ".join(f"{value:.1f}" for value in values)
        is_met = bool(values) and all(low - 0.05 <= value <= high + 0.05 for value in values)
        return Row(self.case.name, figure, f"{low:g} to {high:g} {unit}", f"{told} {unit}", is_met)


def everywhere(one: Programme) -> list[Row]:
    """Rows that every programme has."""
    found, rows = one.found, []
    if found.phrases:
        moved = [(by, fast) for by, fast in found.moved_inside if by > 1.0]
        told = f"{len(moved)} of {len(found.moved_inside)}"
        if moved:
            told += (
                f", at most {max(by for by, _ in moved):.1f} dB and {max(fast for _, fast in moved):.1f} dB a second"
            )
        is_met = all(fast <= 6.5 for _, fast in moved)
        asked = "0, or 6 dB a second where turns follow at once"
        rows.append(
            Row(one.case.name, "phrases in which the gain moves by over 1 dB inside a sound", asked, told, is_met)
        )
        rows.append(one.most("furthest phrase from the middle", "8 LU", found.furthest, 8.0, "LU"))
    if found.floor_steps:
        step = max(found.floor_steps)
        rows.append(one.most("noise from pause to pause, where it is heard", "3 dB", step, 3.0, "dB"))
    return rows


def kept(one: Programme, kind: str, low: float, high: float) -> Row:
    """How far shouts or whispers end from the middle."""
    return one.within(f"{kind}s end over or under the middle by", _away(one, kind), low, high)


def _away(one: Programme, kind: str) -> list[float]:
    return [abs(now) for what, _, now in one.found.phrases if what == kind]


def order(one: Programme) -> Row:
    """Pairs of phrases that kept their order."""
    share = one.found.order_kept
    return Row(one.case.name, "pairs of phrases in their order", "all", f"{100 * share:.0f} %", share == 1.0)


def shares(one: Programme) -> Row:
    """What stays of acted differences of 6 LU and more."""
    values = [100.0 * now / was for _, was, now in one.found.phrases if abs(was) >= 6.0]
    # Measured by words and not by blocks: 3 of 100 is what both ways of measuring differ by.
    return one.within("of a difference of 6 LU and more stays", values, 22.0, 43.0, "%")


def others(one: Programme) -> list[Row]:
    """What is no speech against the words, and against the gain beside it."""
    loud = [level - (one.found.speech_lufs or 0.0) for kind, level, *_ in one.found.others if kind != "laughter"]
    more = [gain - min(beside) for kind, _, gain, beside in one.found.others if beside and kind != "laughter"]
    same = [min(abs(gain - g) for g in beside) for kind, _, gain, beside in one.found.others if kind == "laughter"]
    rows = []
    if loud:
        rows.append(one.most("sounds that are not speech, over the words", "0 LU", max(loud), 0.0, "LU"))
        rows.append(one.most("their gain over that of the phrases beside them", "0 dB", max(more), 0.0, "dB"))
    if same:
        rows.append(one.most("laughter, from the gain of the words beside it", "1 dB", max(same), 1.0, "dB"))
    return rows


def returns(one: Programme) -> list[Row]:
    """Music in pauses."""
    long = [up / dip for seconds, dip, up in one.found.returns if seconds >= 5.0 and dip >= 2.0]
    short = [up for seconds, _, up in one.found.returns if seconds < 4.0]
    least = Row(
        one.case.name,
        "music comes back in pauses of 5 s and more, of its dip",
        "half and more",
        f"{100 * min(long):.0f} % at the least",
        min(long) >= 0.5 - 0.02,
    )
    return [least, one.most("and moves in pauses under 4 s", "0 dB", max(short), 0.3, "dB")]


def target(one: Programme, most_lu: float = 1.5) -> Row:
    """Where the words lie against the middle of their programme."""
    far = one.step("fit")["measured"]["dialogue_lufs"] - one.step("fit")["measured"]["target_lufs"]
    return one.most("words from the target", f"{most_lu:g} LU", abs(far), most_lu, "LU")


def read(one: Programme) -> Row:
    """The level that sparse speech is read at, against the one it was laid at."""
    measured = one.step("even-out")["measured"]
    stem = ear_judge.hop_energy(one.case.stems["narration"])
    spoken = np.concatenate([stem[int(a * 100) : int(b * 100)] for a, b, *_ in one.case.speech])
    truth = ear_judge.gated_lufs(spoken)
    return one.most(
        "level of its words as read, from the truth", "0.6 LU", abs(measured["loudest_lufs"] - truth), 0.6, "LU"
    )


def silence() -> list[Row]:
    """The level of the same speech with ever more silence around it."""
    speech = np.concatenate([at_level(prompt("en", index), -24.0) for index in range(5)])
    levels = []
    for share in (1.0, 0.5, 0.2, 0.1, 0.05):
        rest = np.zeros((round(len(speech) * (1.0 / share - 1.0)), 1), np.float32)
        source = MemorySource("clip", np.concatenate([speech, rest]))
        energy = source_hop_energies(source)[:, 0]
        spans = [one.span for one in speech_spans(source, energy)]
        levels.append(clip_level(energy, speech_mask(spans, len(energy))).level_lufs)
    apart = max(levels) - min(levels)
    name = "the same speech at 100 to 5 % of a clip"
    return [Row(name, "its level lies within", "0.3 LU", f"{apart:.2f} LU", apart <= 0.3)]


def cleaned(one: Programme) -> list[Row]:
    """What the choice of cleaning does to a noisy recording."""
    with tempfile.TemporaryDirectory() as folder:
        other = Programme(ear.noisy_speech, Path(folder), "--clean")
        stems = [ear_judge.read(each.out, "narration") for each in (one, other)]
    floors = [ear_judge.floor_under_words(one.case, stem) for stem in stems]
    held = [each.step("even-out")["measured"]["held_by_noise"] for each in (one, other)]
    lower = floors[0] - floors[1]
    name = one.case.name
    return [
        Row(name, "pauses against words, lower when cleaned by", "8 LU", f"{lower:.1f} LU", lower >= 8.0),
        Row(name, "phrases held by noise, before and after", "3 or fewer", f"{held[0]} to {held[1]}", held[1] <= 3),
    ]


def room(one: Programme) -> list[Row]:
    """What room in the spectrum does, and the words that are lost without it and with it."""
    found = {role: ear_judge.room(one.case, one.out, role) for role in ("music", "effects")}
    depths = [depth for runs, _ in found.values() for depth, _ in runs]
    wander = max(by for runs, _ in found.values() for _, by in runs)
    left = max(abs(value) for _, pauses in found.values() for value in pauses)
    stems = {role: ear_judge.read(one.out, role) for role in one.case.stems}
    flat = {role: came * _factor(came, stems[role]) for role, came in one.case.stems.items() if role != "narration"}
    lost = {by: [words_lost(one.case, stems["narration"], rest, by) for rest in (flat, stems)] for by in (0.0, 6.0)}
    n_lost = {by: [count.n_lost for count in both] for by, both in lost.items()}
    n_words = lost[0.0][1].n_steady
    return [
        one.within("room in the spectrum under talk, of music and effects", depths, -4.1, -0.9, "dB"),
        one.most("and wanders within a run of talk", "0.5 dB", wander, 0.5, "dB"),
        one.most("and is left in the middle of a pause of 6 s", "0.1 dB", left, 0.1, "dB"),
        Row(
            one.case.name,
            "words lost without room in the spectrum and with it",
            "3 or fewer",
            f"{n_lost[0.0][0]} to {n_lost[0.0][1]} of {n_words}",
            n_lost[0.0][1] <= 3,
        ),
        Row(
            one.case.name,
            "the same with everything else 6 dB louder",
            "fewer",
            f"{n_lost[6.0][0]} to {n_lost[6.0][1]} of {n_words}",
            n_lost[6.0][1] < n_lost[6.0][0],
        ),
    ]


def _factor(came, new):
    gain_db = ear_judge.stem_gain(came, new)
    at = np.arange(len(came)) / 480.0
    return 10.0 ** (np.interp(at, np.arange(len(gain_db)) + 0.5, gain_db) / 20.0)[:, None]


def words_lost(case, narration, stems, louder_db):
    """Words that a model hears on the narration alone and not in the mix, all else louder by so much."""
    alone = narration.mean(axis=1).astype(np.float64)
    mix = alone + sum(stems[role].mean(axis=1) for role in ("music", "effects")) * 10.0 ** (louder_db / 20.0)

    def part(of):
        return lambda span: of[span.start_sample : span.end_sample]

    spans = [SampleSpan(int(a * 48_000), int((b - a) * 48_000)) for a, b, *_ in case.speech]
    chunks = listening_chunks(part(alone), spans)
    return counted(heard_as_listener(part(alone), part(mix), chunks, transcriber(None), "en"))


def matching(folder: Path) -> list[Row]:
    """What matching does to the tone of takes that do not match, and room tone to the noise at their cuts."""
    case, name = takes.takes_apart(), "six takes of one speaker"
    stems = [takes.balanced(case, folder / str(len(more)), *more)[1] for more in ((), ("--match-tone",))]
    tones = [max(takes_judge.tone_steps(case.speech, stem)) for stem in stems]
    floors = [max(takes_judge.floor_steps(case.speech, stem)) for stem in takes.with_room_tone(case, folder / "tone")]
    return [
        Row(
            name,
            "a band group from take to take, when matched",
            "3 dB",
            f"{tones[0]:.1f} to {tones[1]:.1f} dB",
            tones[1] <= 3.0,
        ),
        Row(
            name,
            "noise at their cuts, with room tone",
            "6 dB",
            f"{floors[0]:.0f} to {floors[1]:.1f} dB",
            floors[1] <= 6.0,
        ),
    ]


CHECKS = {
    ear.sparse: lambda one: [read(one)],
    ear.animals: lambda one: [*others(one), target(one)],
    ear.shout: lambda one: [kept(one, "shout", 4.0, 8.0), order(one)],
    ear.whisper: lambda one: [kept(one, "whisper", 4.0, 6.0), order(one)],
    ear.drama: lambda one: [order(one), shares(one)],
    ear.laughing: others,
    ear.laughter_throughout: others,
    ear.pauses: returns,
    ear.noisy_speech: cleaned,
    ear.covered_words: room,
}


def rows(folder: Path) -> list[Row]:
    """All lines of the page."""
    found = [*silence(), *matching(folder / "takes")]
    for make in ear.CASES:
        one = Programme(make, folder / make.__name__)
        for row in [*everywhere(one), *CHECKS.get(make, lambda _: [])(one)]:
            print(row, flush=True)
            found.append(row)
    return found


def main() -> int:
    """Measure; write the page where asked; 1 where a figure is missed."""
    use_threads(n_cores())
    with tempfile.TemporaryDirectory() as folder:
        found = rows(Path(folder))
    if "--write" in sys.argv:
        PAGE.write_text(HEAD + "\n".join(map(str, found)) + "\n")
    return int(not all(row.is_met for row in found))


if __name__ == "__main__":
    sys.exit(main())
