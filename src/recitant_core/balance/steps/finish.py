"""The last two steps: speech checked against the rendered rest, and the programme brought to its number as a whole."""

from dataclasses import replace
from typing import Any, Final

from recitant_core.balance.anchor import anchor_lufs
from recitant_core.balance.carried import carried
from recitant_core.balance.first_balance_values import Step
from recitant_core.balance.speech_figures import speech_figures
from recitant_core.balance.steps.run import Run
from recitant_core.measure.clearance import clear_share, close_passages
from recitant_core.render.accepted import without_accepted
from recitant_core.render.scene import rendered_clearance_lu, rendered_window_clearance_lu
from recitant_core.timeline.model import LEAST_GAIN_DB, MOST_GAIN_DB, Plan

FAR_LU: Final = 3.0  # dialogue further from the target is said, and why
_NOTABLE_DB: Final = 0.05


def check(run: Run, plan: Plan) -> Step:
    """Clearance from the rendered stems. What is close stays so: its cures are offered, nothing is forced."""
    material = run.material
    scene = run.scene(plan)
    exact = rendered_clearance_lu(run.exact(plan), scene.is_speech, scene.is_over)
    close = close_passages(exact, material.asked_lu, material.least_s)
    left = without_accepted(close, plan)
    share = clear_share(
        rendered_window_clearance_lu(run.exact(plan), scene.is_speech, scene.is_over), material.asked_lu
    )
    measured = {
        "asked_lu": material.asked_lu,
        "close": len(left),
        "accepted": len(close) - len(left),
        "clear_share": None if share is None else round(share, 4),
        "least_lu": round(min((p.least_lu for p in left), default=material.asked_lu), 1),
    }
    return Step("check", measured, (), plan)


def fit(run: Run, plan: Plan) -> Step:
    """One gain for the whole programme, before the limiter: no stem is moved against another."""
    material = run.material
    target = material.spec.target_for(plan.layout.n_channels)
    stems = run.exact(plan)
    now = anchor_lufs(stems, material.spec)
    before_db = plan.programme_gain_db
    if now is None:
        return Step("fit", {"before_lufs": None, "target_lufs": target}, (), plan)
    gain_db = round(min(max(target - now, LEAST_GAIN_DB), MOST_GAIN_DB), 2)
    if abs(gain_db - before_db) < _NOTABLE_DB:
        gain_db = before_db
    scene = run.scene(plan)
    dialogue = speech_figures(stems, scene.is_speech).dialogue_lufs
    found = carried(stems, scene.is_speech)
    measured: dict[str, Any] = {
        "before_lufs": round(now + before_db, 2),
        "target_lufs": target,
        "reached_lufs": round(now + gain_db, 2),
        "dialogue_lufs": None if dialogue is None else round(dialogue + gain_db, 1),
        "is_dialogue_far": dialogue is not None and abs(dialogue + gain_db - target) > FAR_LU,
        "carried": {name: round(share, 3) for name, share in found.shares.items()},
        "speech_time_share": round(found.speech_time_share, 3),
    }
    changes = (
        ({"what": "programme", "name": "programme", "from_db": before_db, "to_db": gain_db},)
        if gain_db != before_db
        else ()
    )
    return Step("fit", measured, changes, replace(plan, programme_gain_db=gain_db))
