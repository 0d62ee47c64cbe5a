"""What a chain does to its target, and what can be found there, as the Level page asks for it."""

from collections.abc import Hashable
from dataclasses import replace
from typing import Any

from recitant_core.errors import EditRefused, NotThere
from recitant_core.processors.chain import chain_reach
from recitant_core.processors.model import Chain, chain_data, chain_from_data, chain_key, place_for
from recitant_core.render.inspection import (
    ChainInput,
    chain_input,
    chain_view,
    reduction_of,
    static_view,
    track_level_dbfs,
)
from recitant_core.render.search import found_chain, search_material
from recitant_core.timeline.edits import clips_by_id
from recitant_core.timeline.speech import spoken
from recitant_core.timeline.strips import target_chain
from recitant_core.units.arrays import FloatArray
from recitant_core.units.clock import RATE_HZ, SampleSpan
from recitant_text.chains import effort_sentence, found_words, labelled_figures, order_words
from recitant_web.desk.energies import known_source
from recitant_web.level.forms import FindRequest, ViewRequest
from recitant_web.listening.snapshot import Snapshot
from recitant_web.programme.models import Programme
from recitant_web.shared.caches import Cache

_views: Cache[dict[str, Any]] = Cache("views of chains", 16_000_000, lambda _view: 40_000)
_inputs: Cache[ChainInput] = Cache("inputs of chains", 256_000_000)
_levels: Cache[FloatArray] = Cache("detector levels of tracks", 64_000_000)


def processor_view(programme: Programme, asked: ViewRequest) -> dict[str, Any]:
    """Figures of a chain and one of its processors on a target.

    Raises:
        EditRefused: no such target or processor. PlanError: a chain that cannot be.
    """
    snapshot = Snapshot(programme)
    chain = chain_from_data(asked.chain)
    key = _input_key(snapshot, asked, chain)
    made = _views.get_or_make(
        (key, chain, asked.index), lambda: chain_view(chain, asked.index, _input(snapshot, asked, chain))
    )
    view = dict(made)
    effort = view.pop("effort")
    words = effort_sentence(chain[asked.index], effort) if 0 <= asked.index < len(chain) else ""
    view["figures"] = labelled_figures(view["figures"])
    return view | {"order": order_words(chain)} | ({"effort": words} if words else {})


def processor_curves(asked: ViewRequest) -> dict[str, Any]:
    """Curves that follow from a processor's values alone.

    Raises:
        PlanError: a chain that cannot be.
    """
    return static_view(chain_from_data(asked.chain), asked.index, asked.at_sample)


def _input(snapshot: Snapshot, asked: ViewRequest, chain: Chain) -> ChainInput:
    # A value that is dragged asks for the same stretch many times a second.
    at_sample, reach = _place(asked) * 10 * RATE_HZ, chain_reach(chain)
    return _inputs.get_or_make(
        _input_key(snapshot, asked, chain),
        lambda: chain_input(snapshot.plan, asked.target, asked.id, at_sample, reach, known_source, snapshot.speech),
    )


def _place(asked: ViewRequest) -> int:
    return 0 if asked.target == "clip" else asked.at_sample // (10 * RATE_HZ)


def _input_key(snapshot: Snapshot, asked: ViewRequest, chain: Chain) -> Hashable:
    # Speech that a job found changes what is speech without a new revision, so it is part of the key. A clip's chain
    # comes before its gains: it hears the recording, whatever else is edited.
    speaking = hash(tuple((key, spoken(spans)) for key, spans in sorted(snapshot.speech.items())))
    found = clips_by_id(snapshot.plan).get(asked.id) if asked.target == "clip" else None
    if found is not None:
        track, clip = found
        heard: Hashable = (track.role, replace(clip, gain_db=0.0, chain=(), curve=(), balanced=None, name=""))
    else:
        heard = (snapshot.programme.pk, snapshot.programme.revision)
    return (asked.target, asked.id, heard, _place(asked), chain_reach(chain), speaking)


def whole_reduction(programme: Programme, asked: ViewRequest) -> dict[str, Any]:
    """Gain reduction of a compressor, gate or expander of a track over a whole programme, from levels that are kept.

    Raises:
        NotThere: no such track. EditRefused: no such processor.
    """
    snapshot = Snapshot(programme)
    plan, chain = snapshot.plan, chain_from_data(asked.chain)
    if asked.target != "track" or not 0 <= asked.index < len(chain):
        raise EditRefused("no_such_processor")
    processor = chain[asked.index]
    if processor.kind not in ("compressor", "gate", "expander"):
        raise EditRefused("no_such_processor")
    track = next((t for t in plan.tracks if t.track_id == asked.id), None)
    if track is None:
        raise NotThere()
    hears = str(processor.value("hears")) if processor.kind == "compressor" else "rms"
    before = replace(track, gain_db=0.0, chain=chain[: asked.index])
    key = (programme.pk, programme.revision, track.track_id, chain_key(before.chain), hears)
    level = _levels.get_or_make(key, lambda: track_level_dbfs(plan, before, hears, known_source))
    return {"reduction": reduction_of(processor, level), "length_samples": plan.span.length_samples}


def found_in(programme: Programme, asked: FindRequest) -> dict[str, Any]:
    """Processors found for a target: for a noise profile, hum, resonances, a room or a starting point.

    Raises:
        EditRefused: it is not there, or cannot be learned from this.
    """
    snapshot = Snapshot(programme)
    chosen = SampleSpan(asked.from_sample, max(0, asked.to_sample - asked.from_sample))
    before = target_chain(snapshot.plan, asked.target, asked.id)
    material = search_material(
        snapshot.plan, asked.target, asked.id, chosen, asked.at_sample, known_source, snapshot.speech
    )
    chain = found_chain(asked.what, asked.name, material, is_span_chosen=asked.from_sample != asked.to_sample)
    words = found_words(asked.what, chain)
    return {"chain": chain_data(chain), "place": place_for(before, chain[0].kind), "words": words}
