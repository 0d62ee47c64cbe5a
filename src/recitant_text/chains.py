"""Words about processors and chains: what changed, how hard one works, where an order usually goes wrong."""

from collections.abc import Iterator, Mapping
from typing import Any, Final

from recitant_core.processors.kinds import KINDS
from recitant_core.processors.model import Chain, Processor
from recitant_core.render.inspection import HARD_DB, Effort
from recitant_text.processors import KIND_LABELS, STARTING_POINT_LABELS, parameter_label

_A_LOT: Final = 0.25
_SOME: Final = 0.05
_FIGURES: Final = {
    "loudness_lufs": ("loudness", "LUFS"),
    "range_lu": ("range", "LU"),
    "noise_dbfs": ("noise floor", "dBFS"),
    "sample_peak_dbfs": ("peak", "dBFS"),
    "true_peak_dbtp": ("true peak", "dBTP"),
    "band_lows": ("lows", "dB"),
    "band_middle": ("middle", "dB"),
    "band_highs": ("highs", "dB"),
}


def chain_difference(before: Chain, after: Chain) -> dict[str, Any]:
    """Facts on the difference between two chains; difference_text makes words of them."""
    if len(after) != len(before):
        longer, shorter, what = (after, before, "added") if len(after) > len(before) else (before, after, "removed")
        return {"what": what, "kinds": _kinds_more(longer, shorter), "before_kind": _kind_behind(before, after)}
    changed = [(old, new) for old, new in zip(before, after, strict=True) if old != new]
    if not changed:
        return {"what": "same"}
    if len(changed) > 1:
        return {"what": "moved" if sorted(map(repr, before)) == sorted(map(repr, after)) else "several"}
    return _change(*changed[0])


def _change(old: Processor, new: Processor) -> dict[str, Any]:
    if old.kind != new.kind:
        return {"what": "replaced", "kind": new.kind, "old_kind": old.kind}
    names = [p.name for p in KINDS[new.kind].parameters if old.value(p.name) != new.value(p.name)]
    if old.is_bypassed != new.is_bypassed:
        return {"what": "bypassed" if new.is_bypassed else "back", "kind": new.kind}
    if len(names) == 1:
        values = [old.value(names[0]), new.value(names[0])]
        return {"what": "value", "kind": new.kind, "name": names[0], "values": values}
    if old.curves != new.curves:
        return {"what": "curve", "kind": new.kind}
    return {"what": "profile" if old.profile_db != new.profile_db else "set", "kind": new.kind}


def _kind_behind(before: Chain, after: Chain) -> str:
    """Kind of the processor behind an added one; empty where it stands last or more than one was added."""
    if len(after) != len(before) + 1:
        return ""
    at = next((i for i, p in enumerate(before) if p != after[i]), len(before))
    return after[at + 1].kind if at < len(before) else ""


def _kinds_more(longer: Chain, shorter: Chain) -> list[str]:
    kinds = [p.kind for p in shorter]
    found = []
    for processor in longer:
        if processor.kind in kinds:
            kinds.remove(processor.kind)
        else:
            found.append(processor.kind)
    return found


_DIFFERENCES: Final = {
    "same": "processors as they were",
    "moved": "processors moved",
    "several": "processors changed",
    "bypassed": "{label} bypassed",
    "back": "{label} back in",
    "curve": "{label}, curve",
    "profile": "{label}, noise learned",
    "set": "{label}",
}


def difference_text(found: Mapping[str, Any]) -> str:
    """Words on the difference between two chains, from the facts of chain_difference."""
    what = found["what"]
    if what in ("added", "removed"):
        labels = ", ".join(KIND_LABELS[kind] for kind in found["kinds"]) or "processor"
        behind = f" before {KIND_LABELS[found['before_kind']]}" if found["before_kind"] else ""
        return f"{labels} {what}{behind}"
    label = KIND_LABELS[found["kind"]] if "kind" in found else ""
    if what == "replaced":
        return f"{label} for {KIND_LABELS[found['old_kind']]}"
    if what == "value":
        old, new = (_value_text(found["kind"], found["name"], value) for value in found["values"])
        return f"{label}, {parameter_label(found['kind'], found['name'])} {old} → {new}"
    return _DIFFERENCES[what].format(label=label)


def _value_text(kind: str, name: str, value: float | str) -> str:
    text = value if isinstance(value, str) else f"{value:g}".replace("-", "−")
    return f"{text} {KINDS[kind].parameter(name).unit}".strip()


def effort_words(processor: Processor, share: float, deepest_db: float, *, is_speech: bool) -> str:
    """Words on how hard a processor works.

    Args:
        share: of the time (of the speech, where there is some) with over HARD_DB of reduction.
        deepest_db: most reduction, 0 or more.
    """
    of_what = "the speech" if is_speech else "the time"
    if processor.kind in ("gate", "expander"):
        return f"lowers by up to {deepest_db:.1f} dB, over {HARD_DB:.0f} dB for {100 * share:.0f} % of {of_what}" + (
            ": it cuts into words" if is_speech and share > _SOME else ""
        )
    if deepest_db < 0.1:
        return "does nothing here: the threshold is never reached"
    how = ": a lot" if share > _A_LOT else ": now and then" if share > _SOME else ""
    return f"up to {deepest_db:.1f} dB, over {HARD_DB:.0f} dB of reduction for {100 * share:.0f} % of {of_what}{how}"


def labelled_figures(figures: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Figures before and after a chain, each with its label and unit."""
    return [one | dict(zip(("label", "unit"), _FIGURES[one["name"]], strict=True)) for one in figures]


def effort_sentence(processor: Processor, effort: Effort | None) -> str:
    """Sentence on how hard a processor worked; empty where there is nothing to say."""
    if processor.kind == "noise" and (effort is None or processor.is_bypassed):
        if not processor.profile_db:
            return "has learned no noise yet: learn it from the pauses, or from a stretch"
        amount = processor.number("amount_db")
        return f"lowers noise by up to {amount:g} dB" + (": it may sound hollow" if amount > 15 else "")
    if processor.kind == "less-room" and processor.number("amount_db") > MOST_PLAIN_ROOM_DB:
        return "takes away so much room that words may sound hollow: hear what is taken away"
    if effort is None:
        return ""
    if processor.kind == "clicks":
        return f"{effort.n_events} event{'s' if effort.n_events != 1 else ''} repaired here"
    return effort_words(processor, effort.share, effort.deepest_db, is_speech=effort.is_over_speech)


MOST_PLAIN_ROOM_DB: Final = 15.0


def found_words(what: str, chain: Chain) -> str:
    """Sentence on processors that were found.

    Args:
        what: "noise", "hum", "resonances", "less-room" or "start".
    """
    one = chain[0]
    if what == "less-room":
        return f"The room takes {one.number('decay_s'):.1f} s to decay by 60 dB."
    if what == "hum":
        return f"Hum at {one.number('mains_hz'):g} Hz and {one.number('multiples'):.0f} multiples."
    if what == "resonances":
        bands = [i for i in range(1, 6) if one.value(f"band{i}_shape") == "bell"]
        numbers = [(one.number(f"band{i}_freq_hz"), one.number(f"band{i}_gain_db")) for i in bands]
        places = ", ".join(f"{freq_hz:.0f} Hz ({gain_db:g} dB)" for freq_hz, gain_db in numbers)
        return f"Peaks that stay: {places}.".replace("-", "−")
    if what == "noise":
        return f"Learned: the noise lies {max(one.profile_db):.0f} dBFS at its strongest band.".replace("-", "−")
    return f"{len(chain)} processors, set from what was measured here."


def order_words(chain: Chain) -> list[str]:
    """A quiet word for each place where an order usually goes wrong."""
    kinds = [p.kind for p in chain if not p.is_bypassed]

    def comes_before(first: str, then: str) -> bool:
        return first in kinds and then in kinds and kinds.index(first) < kinds.index(then)

    return [words for first, then, words in _ORDER if comes_before(first, then)]


_ORDER: Final = (
    ("compressor", "noise", "After the compressor the noise moves with the voice: noise reduction comes before it."),
    ("compressor", "high-pass", "The compressor reacts to rumble that the high-pass takes out after it."),
    ("compressor", "gate", "After the compressor words and pauses lie closer: a gate works better before it."),
    ("compressor", "expander", "After the compressor words and pauses lie closer: an expander works better before it."),
    ("reverb", "compressor", "The compressor pumps the room with the voice: the room usually comes last."),
    ("reverb", "gate", "The gate cuts the tail of the room off: the room usually comes last."),
    ("limiter", "compressor", "The limiter is undone by what comes after it: it usually comes last."),
    ("limiter", "equaliser", "The equaliser can lift peaks that the limiter has held: the limiter usually comes last."),
    ("equaliser", "noise", "Noise learned before the equaliser does not fit behind it: learn it again."),
    ("compressor", "less-room", "The compressor lifts the room between words: less room comes before it."),
    ("reverb", "less-room", "What stands before it is taken for the room of the recording: less room comes first."),
    ("equaliser", "clicks", "Clicks are found best in the untouched recording: first in the chain."),
)  # fmt: skip


def kinds_data() -> list[dict[str, Any]]:
    """Every kind of processor and its parameters, as the page builds its fields from."""
    return [
        {
            "kind": kind.name,
            "label": KIND_LABELS[kind.name],
            "stage": kind.stage.value,
            "rank": kind.rank,
            "parameters": [
                {
                    "name": p.name,
                    "label": parameter_label(kind.name, p.name),
                    "unit": p.unit,
                    "default": p.default,
                    "least": p.least,
                    "most": p.most,
                    "is_log": p.is_log,
                    "choices": list(p.choices),
                    "may_move": p.may_move,
                }
                for p in kind.parameters
            ],
        }
        for kind in KINDS.values()
    ]


def starting_points_data() -> list[dict[str, str]]:
    """Starting points by name."""
    return [{"name": name, "words": words} for name, words in STARTING_POINT_LABELS.items()]


def markdown_table() -> Iterator[str]:
    """Kinds, values, units and limits as the lines of a table; docs/standards/processors.md holds it."""
    yield "| kind | stage | value | unit | plain | from | to |"
    yield "| --- | --- | --- | --- | --- | --- | --- |"
    for kind in KINDS.values():
        for p in kind.parameters:
            if p.name.startswith("band") and not p.name.startswith("band1_"):
                continue
            limits = f"{' / '.join(p.choices)} | " if p.choices else f"{p.least:g} | {p.most:g}"
            plain = p.default if isinstance(p.default, str) else f"{p.default:g}"
            yield f"| {kind.name} | {kind.stage.value} | {p.name} | {p.unit} | {plain} | {limits} |"
