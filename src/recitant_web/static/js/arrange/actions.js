// What the person wants, from gesture, key, button or field, to edits for the server and changes of the view.

import { make } from "../lib/dom.js";
import { RATE_HZ, samplesOfFrames, timecode } from "../lib/units.js";
import { newClipActions } from "./clipactions.js";
import { inOrder, longest, scrolled, shownTracks, zoomed } from "./model.js";

export function newActions({ model, api, urls, player, edit, settled, show, say, moveView, reload, scene, tab }) {
  const chosen = () => [...model.selected];
  const rate = () => model.state.frame_rate;
  const sampleOf = async (text) => (await api.get(`${urls.timecode}?text=${encodeURIComponent(text)}`)).at_sample;
  const need = () => {
    if (!model.selected.size) say("Choose a clip first: [ and ] go through them.");
    return model.selected.size > 0;
  };

  const actions = {
    edit,
    playhead: () => player.position(),
    tc: (samples) => timecode(Math.max(0, Math.round(samples)), rate()),
    length: (samples) => `${(samples / RATE_HZ).toFixed(3)} s`.replace("-", "−"),
    seek: (sample) => player.seek(sample),
    scrub: (sample) => player.scrub(sample),
    stop: () => player.stop(),
    // A form, since the answer is another page; edits that wait reach the server first.
    handOverAlone: async (ids) => {
      await settled();
      const field = (name, value) => make("input", { type: "hidden", name, value });
      const form = make("form", { method: "post", action: urls.handOver }, field("clips", ids.join(",")));
      form.append(field("csrfmiddlewaretoken", urls.csrf));
      document.body.append(form);
      form.submit();
    },
    shuttle: (way) => {
      const now = player.isPlaying ? player.rate : 0;
      const next = Math.sign(now) === way ? Math.sign(now) * Math.min(8, Math.abs(now) * 2) : way;
      player.play(next);
    },
    step: (by, isFrame = false) => {
      const at = player.position();
      player.stop();
      player.seek(isFrame ? samplesOfFrames(at, by, rate()) : at + by * RATE_HZ);
    },
    toStart: () => player.seek(model.range ? model.range[0] : 0),
    toEnd: () => player.seek(model.state.all_samples),
    goToTimecode: (text) => {
      sampleOf(text)
        .then((at) => {
          player.seek(at);
          actions.reveal(at);
        })
        .catch((error) => say(error.message));
    },
    reveal: (sample) => {
      if (sample < model.view.start || sample > model.view.end)
        moveView(scrolled(model, sample - (model.view.start + model.view.end) / 2));
    },
    markRange: (edge) => {
      const at = player.position();
      const range = model.range ? [...model.range] : [0, model.state.length_samples];
      range[edge] = at;
      actions.setRange(range[0] < range[1] ? range : edge ? [Math.max(0, at - RATE_HZ), at] : [at, at + RATE_HZ]);
    },
    setRange: (range) => {
      model.range = range.map(Math.round);
      show();
    },
    noRange: () => {
      model.range = null;
      model.isLooping = false;
      show();
    },
    loop: () => {
      if (!model.range) {
        say("Set a range first: i and o, or shift and drag on the ruler.");
        return;
      }
      model.isLooping = !model.isLooping;
      show();
      if (player.isPlaying) player.seek(player.position());
    },

    zoom: (factor, around) =>
      moveView(
        zoomed(model, factor, around ?? Math.min(Math.max(player.position(), model.view.start), model.view.end)),
      ),
    zoomIn: () => actions.zoom(1 / 1.5),
    zoomOut: () => actions.zoom(1.5),
    scroll: (by) => moveView(scrolled(model, by)),
    whole: () =>
      moveView({ start: 0, end: Math.min(longest(model), Math.max(480000, model.state.all_samples * 1.02)) }),
    zoomToSelection: () => {
      if (need()) actions.showSpan(chosen().map((id) => model.clips.get(id)));
    },
    showWhole: (clip) => actions.showSpan([clip]),
    showSpan: (clips) => {
      const start = Math.min(...clips.map((c) => c.start));
      const end = Math.max(...clips.map((c) => c.start + c.length));
      const room = (end - start) * 0.08;
      moveView({ start: Math.max(0, start - room), end: end + room });
    },
    amplitude: (factor) => {
      model.zoom = Math.min(64, Math.max(0.25, model.zoom * factor));
      show();
    },
    wavesUp: () => actions.amplitude(2),
    wavesDown: () => actions.amplitude(0.5),
    channels: () => {
      model.isSplit = !model.isSplit;
      show();
    },
    curves: () => {
      model.isCurves = !model.isCurves;
      show();
      if (model.isCurves) say("Gain curves: click or draw on a clip; alt and click removes a point.", true);
    },
    snapping: () => {
      model.isSnapping = !model.isSnapping;
      show();
    },
    hideEmpty: () => {
      model.hidesEmpty = !model.hidesEmpty;
      show();
    },
    trackOut: (id) =>
      edit((state) => ({
        kind: "in-mix",
        track_ids: [id],
        is_out: !state.tracks.find((track) => track.id === id)?.is_out,
      })),
    orderTrack: (id, besideId) =>
      edit((state) => ({ kind: "track-order", id, to: state.tracks.findIndex((track) => track.id === besideId) })),
    lanes: (percent) => edit({ kind: "lane-heights", by_percent: percent }),
    removeEmpty: () => edit({ kind: "tracks-remove-empty" }),
    lock: () => edit((state) => ({ kind: "lock", is_locked: !state.is_picture_locked })),

    toggleHeard: (set, id) => {
      if (set.has(id)) set.delete(id);
      else set.add(id);
      show();
      player.refresh();
    },
    hearAll: () => {
      model.muted.clear();
      model.soloed.clear();
      show();
      player.refresh();
    },
    setTrack: (id) => {
      if (model.track !== id) {
        model.track = id;
        show();
      }
    },
    chooseTrack: (by) => {
      const tracks = shownTracks(model);
      const at = tracks.findIndex((track) => track.id === model.track);
      model.track = tracks[Math.min(tracks.length - 1, Math.max(0, at + by))]?.id ?? model.track;
      show();
    },

    select: (id, { isAdding = false, isAlone = false } = {}) => {
      if (!isAdding) model.selected.clear();
      if (isAdding && model.selected.has(id) && !isAlone) model.selected.delete(id);
      else model.selected.add(id);
      model.track = model.clips.get(id)?.track ?? model.track;
      tab("clip");
      show();
    },
    selectRange: (id) => {
      const order = inOrder(model).map((clip) => clip.id);
      const [a, b] = [order.indexOf(chosen()[0] ?? id), order.indexOf(id)].sort((x, y) => x - y);
      order.slice(a, b + 1).forEach((each) => model.selected.add(each));
      show();
    },
    selectBox: (box, isAdding) => {
      model.gesture = null;
      if (!isAdding) model.selected.clear();
      for (const row of scene().rows) {
        if (row.y > box.bottom || row.y + row.height < box.top) continue;
        for (const shape of row.clips)
          if (shape.x < box.right && shape.x + shape.w > box.left) model.selected.add(shape.clip.id);
      }
      show();
    },
    selectAll: () => {
      model.selected = new Set(model.clips.keys());
      show();
    },
    // All clips chosen, and the ways to lay them open at the right.
    layOutAgain: () => {
      actions.selectAll();
      if (model.selected.size < 2) return;
      tab("clip");
      show();
      const summary = document.getElementById("lay-again");
      if (summary) {
        summary.parentElement.open = true;
        summary.focus();
      }
    },
    selectTrack: () => {
      model.selected = new Set([...model.clips.values()].filter((c) => c.track === model.track).map((c) => c.id));
      show();
    },
    selectTrackOf: (id) => {
      model.track = id;
      actions.selectTrack();
    },
    selectBehind: (isEverywhere) => {
      const at = player.position();
      const found = [...model.clips.values()].filter((c) => c.start >= at && (isEverywhere || c.track === model.track));
      model.selected = new Set(found.map((c) => c.id));
      show();
      say(
        found.length
          ? `${found.length} clips behind the playhead are chosen: arrows or a drag move them together.`
          : "No clip begins behind the playhead.",
        found.length > 0,
      );
    },
    selectRole: () => {
      const role = model.state.tracks.find((track) => track.id === model.track)?.role;
      const tracks = new Set(model.state.tracks.filter((track) => track.role === role).map((track) => track.id));
      model.selected = new Set([...model.clips.values()].filter((c) => tracks.has(c.track)).map((c) => c.id));
      show();
    },
    clearSelection: () => {
      model.selected.clear();
      show();
    },
    escape: () => {
      document.activeElement?.blur?.();
      actions.clearSelection();
    },
    neighbour: (by) => {
      const order = inOrder(model);
      if (!order.length) return;
      const at = order.findIndex((clip) => model.selected.has(clip.id));
      const next = order[at < 0 ? 0 : (at + by + order.length) % order.length];
      actions.select(next.id);
      if (next.start + next.length < model.view.start || next.start > model.view.end) actions.reveal(next.start);
    },
  };

  Object.assign(actions, newClipActions({ model, api, urls, player, edit, show, say, reload, tab, actions }));
  return actions;
}
