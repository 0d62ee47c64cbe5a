"""Benchmarks of ducking and the first balance."""

import itertools
import time
from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from recitant_cli.bench_parts import Loop, Row, best_s, long_programme
from recitant_core.balance.first_balance import first_balance
from recitant_core.balance.first_balance_values import Choices, Material
from recitant_core.balance.stem_meter import exact_energies
from recitant_core.balance.steps.duck import rule_of_choice
from recitant_core.delivery.specification.catalogue import spec_by_id
from recitant_core.render.ducking_update import follow
from recitant_core.render.scene import rendered_clearance_lu, scene_of
from recitant_core.speech.activity import SpeechSpan
from recitant_core.timeline.model import Clip, Duck, Plan, Track
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import RATE_HZ
from recitant_core.units.roles import Role
from recitant_core.units.threads import use_threads
from recitant_io.media.machine import n_cores
from recitant_io.store.bands import band_energies
from recitant_io.store.hop_energies import source_hop_energies


def talk(minutes: int) -> tuple[Plan, dict[str, Loop], dict[str, FloatArray], dict[str, list[SpeechSpan]]]:
    """A programme of 300 speech clips an hour over music, effects and atmosphere, with its energies and speech."""
    n_clips = minutes * 5
    length = minutes * 60 * RATE_HZ
    sources = {
        "music": Loop("music", long_programme(60, 1) * np.float32(0.7), length),
        "room": Loop("room", long_programme(60, 2) * np.float32(0.1), length),
        "hits": Loop("hits", long_programme(60, 3), length),
        **{f"take {i}": Loop(f"take {i}", long_programme(60, i, 1), length) for i in range(4)},
    }
    clips = tuple(
        Clip(f"v{i}", f"take {i % 4}", (i * 12 + 1) * RATE_HZ, (i * 7) % (minutes * 50) * RATE_HZ, 9 * RATE_HZ)
        for i in range(n_clips)
    )
    hits = tuple(Clip(f"h{i}", "hits", i * 31 * RATE_HZ, i * 5 * RATE_HZ, 4 * RATE_HZ, -3.0) for i in range(minutes))
    tracks = (
        Track("1", "voices", Role.DIALOGUE, clips=clips),
        Track("2", "music", Role.MUSIC, clips=(Clip("m", "music", 0, 0, length),)),
        Track("3", "hits", Role.EFFECTS, clips=hits),
        Track("4", "room", Role.ATMOSPHERE, clips=(Clip("a", "room", 0, 0, length),)),
    )
    energies = {key: source_hop_energies(source) for key, source in sources.items()}
    lines = [SpeechSpan(at * RATE_HZ, 4 * RATE_HZ, 0.9) for at in range(1, minutes * 60 - 6, 5)]
    speech = {f"take {i}": lines for i in range(4)}
    return Plan("talk", "25", tracks), sources, energies, speech


def following() -> list[Row]:
    """Rows on ducking that is remade after an edit: rules that go for clearance, and those of a first balance."""
    plan, sources, energies, speech = talk(60)
    bands = band_energies(sources)
    roles = (Role.MUSIC, Role.EFFECTS, Role.ATMOSPHERE)
    rows = []
    for name, ducks in (
        ("three stems", tuple(Duck(role.value, role) for role in roles)),
        (
            "three stems by the rules of a first balance, with room in the spectrum,",
            tuple(Duck(role.value, role, rule=rule_of_choice(Choices(), role, "speech")) for role in roles),
        ),
    ):
        made = replace(plan, ducks=ducks)
        made = follow(scene_of(made, energies, speech), speech, 7.0, bands)
        turn = itertools.count()

        def again(made: Plan = made, turn: Iterator[int] = turn) -> None:
            moved = replace(made.tracks[0].clips[150], gain_db=float(next(turn)))
            clips = (*made.tracks[0].clips[:150], moved, *made.tracks[0].clips[151:])
            edited = replace(made, tracks=(replace(made.tracks[0], clips=clips), *made.tracks[1:]))
            follow(scene_of(edited, energies, speech), speech, 7.0, bands)

        took = 1_000 * best_s(again, 5)
        line = f"Ducking of {name} remade after an edit, 60 minutes, 300 speech clips"
        rows.append(Row(line, "under 300 ms", f"{took:.0f} ms", took < 300))
    return rows


def first_balance_of_an_hour() -> list[Row]:
    """Rows on first balances of 3 and 60 minutes."""
    rows = []
    for minutes, most_s, asked in ((3, 5.0, "under 5 s"), (60, 20.0, "under 20 s")):
        plan, sources, energies, speech = talk(minutes)
        took = {}
        for threads in (1, n_cores()):
            use_threads(threads)
            # The band energies are worked out anew, as they are when a plan is balanced for the first time.
            bands = band_energies(sources)
            material = Material(plan, sources, energies, speech, {}, spec_by_id("ebu-r128"), bands=bands)
            began = time.perf_counter()
            done = first_balance(material, Choices())
            took[threads] = time.perf_counter() - began
        use_threads(1)
        clear = done.judgement.clear_share or 0.0
        times = f"{took[1]:.1f} s on one core, {took[n_cores()]:.1f} s on {n_cores()}"
        reached = f"{times}, speech 7 LU clear for {100 * clear:.0f} %"
        is_met = took[n_cores()] < most_s
        rows.append(Row(f"First balance of {minutes} minutes, four stems", asked, reached, is_met))
    return rows


def two_clearances() -> list[Row]:
    """Row on the difference between estimated and rendered clearance."""
    plan, sources, energies, speech = talk(3)
    plan = replace(plan, ducks=(Duck("m", Role.MUSIC),))
    scene = scene_of(plan, energies, speech)
    plan = follow(scene, speech, 7.0)
    stems = exact_energies(plan, sources)
    n = min(len(energy) for energy in stems.values())
    exact = rendered_clearance_lu(stems, scene.is_speech, scene.is_over)[:n]
    both = np.isfinite(exact) & np.isfinite(scene.clearance(plan)[:n])
    apart = float(np.percentile(np.abs(exact[both] - scene.clearance(plan)[:n][both]), 99))
    name = "Clearance foretold from contours against that of the rendered stems, 99 % of moments"
    return [Row(name, "within 0.3 LU", f"{apart:.3f} LU", apart < 0.3)]
