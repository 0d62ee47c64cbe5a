"""Faults that intake found, mended where a remedy can do no harm."""

from recitant_core.balance.first_balance_values import Step
from recitant_core.balance.steps.run import Run
from recitant_core.intake.findings import Severity
from recitant_core.intake.mending import mended
from recitant_core.timeline.edits import set_clips
from recitant_core.timeline.model import Plan


def mend(run: Run, plan: Plan) -> Step:
    """Apply the safe remedies of what was found."""
    material = run.material
    changes = []
    n_findings = 0
    for key, findings in material.findings.items():
        for finding in findings:
            n_findings += 1
            if finding.severity is Severity.NOTE:
                continue
            # Levels are the next step's work.
            safe = [r for r in finding.remedies if r.is_safe and r.gain_change_db is None]
            ids = [
                c.clip_id
                for t in plan.tracks
                for c in t.clips
                if c.source_key == key and run.is_in(c) and safe and safe[0].code not in c.mended
            ]
            if safe and ids:
                remedy = safe[0]
                names = {c.name for t in plan.tracks for c in t.clips if c.clip_id in ids}
                plan = set_clips(plan, ids, lambda clip, remedy=remedy: mended(clip, remedy))  # type: ignore[misc]
                changes.append(
                    {"what": "clip", "name": ", ".join(sorted(names)), "finding": finding.code, "remedy": remedy.code}
                )
    return Step("mend", {"findings": n_findings}, tuple(changes), plan)
