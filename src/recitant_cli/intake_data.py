"""What intake learnt of a file, as the command line prints it."""

from pathlib import Path
from typing import Any

from recitant_core.units.clock import s_from_samples
from recitant_io.plan.examine import Examined
from recitant_text.findings import finding_data, finding_shown, role_reasons


def examined_data(path: Path, found: Examined) -> dict[str, Any]:
    """Facts, evidence and findings of a recording as JSON data: times in seconds."""
    return {
        "file": str(path),
        "channels": found.conformed.n_channels,
        "sample_rate": found.conformed.rate_hz,
        "coding": found.conformed.coding,
        "duration_s": s_from_samples(found.conformed.length_samples),
        "role": {"guess": found.guess.role.value, "reasons": role_reasons(found.guess.reasons)},
        "speech": [
            [s_from_samples(span.start_sample), s_from_samples(span.span.end_sample), span.confidence]
            for span in found.speech
        ],
        "speech_dbfs": found.speech_dbfs,
        "noise_floor_dbfs": found.floor_dbfs,
        "findings": [
            finding_shown(finding_data(finding))
            | {"places": [[s_from_samples(p.start_sample), s_from_samples(p.end_sample)] for p in finding.places]}
            for finding in found.findings
        ],
    }
