"""Findings and remedies, as rows keep them."""

from typing import Any

from recitant_core.intake.findings import Finding, Remedy, Severity
from recitant_core.units.channels import Routing
from recitant_core.units.clock import SampleSpan


def findings_from_data(data: list[dict[str, Any]]) -> list[Finding]:
    """Findings of intake from stored data: facts and remedies."""
    return [
        Finding(
            found["code"],
            Severity(found["severity"]),
            found.get("facts", {}),
            remedies=tuple(remedy_from_data(remedy) for remedy in found["remedies"]),
        )
        for found in data
    ]


def remedy_from_data(data: dict[str, Any]) -> Remedy:
    """A remedy as it is stored with a source."""
    keep, left_out = data.get("keep"), data.get("left_out")
    return Remedy(
        data["code"],
        bool(data["is_safe"]),
        routing=Routing(data["routing"]) if "routing" in data else None,
        reversed_channels=tuple(data["reversed_channels"]) if "reversed_channels" in data else None,
        dc_offset=tuple(data["dc_offset"]) if "dc_offset" in data else None,
        gain_change_db=data.get("gain_change_db"),
        keep=SampleSpan(*keep) if keep is not None else None,
        left_out=tuple(SampleSpan(*span) for span in left_out) if left_out is not None else None,
    )
