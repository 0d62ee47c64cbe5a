// What is done with clips: from gesture, key, button or field to edits for the server.

import { numberOf } from "../lib/fields.js";
import { ROLES } from "../lib/roles.js";
import { RATE_HZ, samplesOfFrames } from "../lib/units.js";
import { clipsAt, withGroup } from "./model.js";

const NUDGE_WAIT_MS = 300;
const JOB_WAIT_MS = 400;
const SAMPLES_A_MS = RATE_HZ / 1000;

export function newClipActions({ model, api, urls, player, edit, show, say, reload, tab, actions }) {
  const chosen = () => [...model.selected];
  const one = () => model.clips.get(chosen()[0]);
  const rate = () => model.state.frame_rate;
  const sampleOf = async (text) => (await api.get(`${urls.timecode}?text=${encodeURIComponent(text)}`)).at_sample;
  const selectsNew = () => {
    model.selectsNew = (model.selectsNew || 0) + 1;
  };
  const need = () => {
    if (!model.selected.size) say("Choose a clip first: [ and ] go through them.");
    return model.selected.size > 0;
  };

  // Presses close together become one edit; each counts from what stands there when its turn comes.
  const gather = (kind, ids, amount, change) =>
    edit((_, sum) => change(sum), { key: `${kind} ${ids.join()}`, amount, holdMs: NUDGE_WAIT_MS });
  // An edit of a clip computed from the clip as it is by then; nothing where it is gone.
  const ofClip = (id, change) => edit((state) => (state.clips.has(id) ? change(state.clips.get(id)) : null));

  return {
    finish: (gesture) => {
      const ids = [...gesture.ids];
      const id = ids[0];
      const by = gesture.by || 0;
      const asks = {
        move: () =>
          (by || gesture.byTracks) && {
            kind: "move",
            ids: [...model.selected],
            by_samples: by,
            by_tracks: gesture.byTracks,
          },
        "trim-start": () => by && { kind: "trim", id, edge: "start", by_samples: by },
        "trim-end": () => by && { kind: "trim", id, edge: "end", by_samples: by },
        slip: () => by && { kind: "slip", id, by_samples: by },
        "fade-in": () => ({ kind: "fade", ids, edge: "in", length_samples: gesture.length }),
        "fade-out": () => ({ kind: "fade", ids, edge: "out", length_samples: gesture.length }),
        point: () =>
          gesture.drawn
            ? { kind: "draw", id, points: gesture.drawn }
            : { kind: "point", id, index: gesture.index, at_sample: gesture.place, gain_db: gesture.db },
        marker: () => ({ kind: "marker-set", id: gesture.marker.id, at_sample: gesture.at }),
      };
      const change = asks[gesture.kind]?.();
      model.gesture = null;
      if (change) edit(change);
      else show();
    },
    nudge: (by) => {
      if (need()) {
        const ids = chosen();
        gather("move", ids, by, (sum) => ({ kind: "move", ids, by_samples: sum }));
      }
    },
    nudgeMs: (by) => actions.nudge(by * SAMPLES_A_MS),
    nudgeFrames: (by) => {
      if (need()) {
        const at = one().start;
        actions.nudge(samplesOfFrames(at, by, rate()) - at || by * SAMPLES_A_MS);
      }
    },
    toTrack: (by) => {
      if (need()) {
        const ids = chosen();
        gather("to-track", ids, by, (sum) => ({ kind: "move", ids, by_samples: 0, by_tracks: sum }));
      }
    },
    level: (by) => {
      if (need()) {
        const ids = chosen();
        gather("level", ids, by, (sum) => ({ kind: "level", ids, by_db: sum.toFixed(1) }));
      }
    },
    setGain: (clip, text) => {
      const wanted = numberOf(text);
      ofClip(clip.id, (now) => ({
        kind: "level",
        ids: [clip.id],
        by_db: Number.isFinite(wanted) ? (wanted - now.gain_db).toFixed(2) : text,
      }));
    },
    split: () => {
      const at = player.position();
      const wanted = clipsAt(model, at, model.selected.size ? model.selected : null).map((clip) => clip.id);
      if (wanted.length) edit({ kind: "split", ids: wanted, at_sample: at });
      else say("No clip lies under the playhead.");
    },
    trimTo: (edge) => {
      const clip = need() && one();
      if (!clip) return;
      const at = player.position();
      ofClip(clip.id, (now) => ({
        kind: "trim",
        id: clip.id,
        edge,
        by_samples: at - (edge === "start" ? now.start : now.start + now.length),
      }));
    },
    fadeTo: (edge) => {
      const clip = need() && one();
      if (!clip) return;
      const inside = player.position() - clip.start;
      if (inside < 0 || inside > clip.length) {
        say("The playhead does not stand in the chosen clip.");
        return;
      }
      const at = player.position();
      ofClip(clip.id, (now) => ({
        kind: "fade",
        ids: [clip.id],
        edge,
        length_samples: edge === "in" ? at - now.start : now.start + now.length - at,
      }));
    },
    remove: (closes) => {
      if (need()) edit({ kind: "delete", ids: chosen(), close_gap: Boolean(closes) });
    },
    setLength: (clip, length) =>
      ofClip(clip.id, (now) => ({ kind: "trim", id: clip.id, edge: "end", by_samples: length - now.length })),
    nextRole: (id) =>
      edit((state) => ({
        kind: "track-set",
        id,
        role: ROLES[(ROLES.indexOf(state.tracks.find((t) => t.id === id)?.role) + 1) % ROLES.length],
      })),
    toggleWidth: (id) =>
      edit((state) => ({ kind: "track-set", id, is_mono: !state.tracks.find((t) => t.id === id)?.is_mono })),
    moveTrack: (id, by) =>
      edit((state) => ({ kind: "track-order", id, to: state.tracks.findIndex((t) => t.id === id) + by })),
    copy: () => {
      if (need()) {
        model.copied = chosen();
        say(`${model.copied.length} copied. Ctrl v lays them at the playhead.`, true);
      }
    },
    cutOut: () => {
      if (need()) {
        model.copied = chosen();
        edit({ kind: "delete", ids: chosen(), close_gap: false });
      }
    },
    paste: () => {
      if (!model.copied.length) {
        say("Nothing is copied yet.");
        return;
      }
      selectsNew();
      edit({ kind: "paste", ids: model.copied, at_sample: player.position() });
    },
    duplicate: () => {
      if (!need()) return;
      selectsNew();
      // By its turn the copy before it may be what is chosen: each goes behind the last.
      edit((state) => {
        const ids = chosen().filter((id) => state.clips.has(id));
        return ids.length
          ? {
              kind: "paste",
              ids,
              at_sample: Math.max(...ids.map((id) => state.clips.get(id).start + state.clips.get(id).length)),
            }
          : null;
      });
    },
    group: () => {
      if (need()) {
        const is = one().group;
        if (is) actions.ungroup(chosen());
        else edit({ kind: "group", ids: chosen(), is_grouped: true });
      }
    },
    // Out of the mix: computed from what the first of them is by then.
    toggleOut: () => {
      if (!need()) return;
      edit((state) => {
        const ids = chosen().filter((id) => state.clips.has(id));
        return ids.length ? { kind: "in-mix", ids, is_out: !state.clips.get(ids[0]).is_out } : null;
      });
    },
    putOn: (trackId) => {
      if (need()) edit({ kind: "to-track", ids: chosen(), track_id: trackId });
    },
    putOnNew: (role) => {
      if (need()) edit({ kind: "to-track", ids: chosen(), role });
    },
    layAgain: (how, order) => {
      if (need()) edit({ kind: "lay", ids: chosen(), how, order });
    },
    fadesOf: (fields) => {
      if (need()) edit({ kind: "fades", ids: chosen(), ...fields });
    },
    ungroup: (ids) => edit({ kind: "group", ids: [...withGroup(model, ids)], is_grouped: false }),
    fill: () => {
      if (model.track) edit({ kind: "fill", track_id: model.track, at_sample: player.position() });
    },
    fillTrack: (trackId = model.track) => {
      if (trackId) edit({ kind: "fill-track", track_id: trackId });
      else say("Choose a track first: click its head, or press w or s.");
    },
    placeAt: (ids, text) => {
      sampleOf(text)
        .then((at) => edit({ kind: "place", ids, at_sample: at }))
        .catch((error) => {
          say(error.message);
          show();
        });
    },
    placeByReference: (clip, source) => {
      const origin = model.state.picture?.reference_samples ?? model.state.picture_offset_samples;
      const at = source.reference_samples - origin + model.state.picture_offset_samples + clip.in;
      edit({ kind: "place", ids: [clip.id], at_sample: at });
    },
    extendTo: (clip, where) => {
      const end =
        where === "end"
          ? Math.max(
              (model.state.picture?.length_samples || 0) + model.state.picture_offset_samples,
              ...[...model.clips.values()].filter((c) => c.id !== clip.id).map((c) => c.start + c.length),
            )
          : player.position();
      if (end <= clip.start) {
        say("The playhead stands before the clip begins.");
        return;
      }
      edit({ kind: "extend", id: clip.id, length_samples: end - clip.start });
    },

    mark: (marker) =>
      edit({ kind: "marker-add", marker, at_sample: player.position(), text: "" }).then(() => tab("markers")),
    nameMarker: () => {
      tab("markers");
      show();
    },
    addPoint: (clip) => {
      const at = Math.round(player.position() - clip.start);
      if (at < 0 || at > clip.length) {
        say("The playhead does not stand in this clip.");
        return;
      }
      edit({ kind: "point-add", id: clip.id, at_sample: at });
    },
    removePoint: (id, index) => {
      const at = model.clips.get(id).curve[index][0];
      return ofClip(id, (now) => ({
        kind: "curve",
        ids: [id],
        points: (now.curve || []).filter((point) => point[0] !== at),
      }));
    },
    copyCurve: (clip) => {
      model.copiedCurve = clip.curve;
      say("Curve copied.", true);
    },
    pasteCurve: (clip) => {
      if (model.copiedCurve)
        edit({ kind: "curve", ids: [clip.id], points: model.copiedCurve.filter(([at]) => at <= clip.length) });
      else say("No curve is copied yet.");
    },
    clearCurve: (clip) => {
      if (model.range)
        edit({ kind: "curve-clear", ids: [clip.id], from_sample: model.range[0], to_sample: model.range[1] });
      else say("Set a range first: i and o.");
    },
    askAlignment: (later, earlier) =>
      api.get(`${urls.alignment}?clip=${later.id}&to=${earlier.id}`).catch((error) => {
        say(error.message);
        return null;
      }),
    alignMarkers: (later, earlier, said) => {
      const inside = (clip) =>
        model.state.markers.find(
          (m) => m.kind === "sync" && m.at_sample >= clip.start && m.at_sample <= clip.start + clip.length,
        );
      const [a, b] = [inside(later), inside(earlier)];
      if (!a || !b || a === b) {
        said.textContent = "Each clip needs a sync point of its own: alt m lays one at the playhead.";
        return;
      }
      edit({ kind: "move", ids: [later.id], by_samples: b.at_sample - a.at_sample });
    },
    askHistory: () => api.get(urls.history).catch(() => null),
    vary: async (clip, speed, keepsPitch, semitones) => {
      try {
        const { job_id: jobId } = await api.edit(
          { kind: "vary", id: clip.id, speed, keeps_pitch: keepsPitch, semitones },
          model.base.revision,
        );
        say("The recording is rendered at its new speed and pitch.", true);
        for (;;) {
          await new Promise((resolve) => {
            setTimeout(resolve, JOB_WAIT_MS);
          });
          const job = await api.get(urls.job.replace("/0", `/${jobId}`));
          if (job.is_open) continue;
          if (job.state !== "done") say(job.sentence);
          break;
        }
        await reload();
      } catch (error) {
        say(error.message);
      }
    },
  };
}
