// What tests/js/test_arrange_modules.py asks of the page's own modules; each case gets its argument and returns data.

import * as curve from "../../src/recitant_web/static/js/arrange/marks/curve.js";
import * as timeline from "../../src/recitant_web/static/js/arrange/scene.js";
import * as model from "../../src/recitant_web/static/js/arrange/model.js";
import { levelFor } from "../../src/recitant_web/static/js/lib/waves.js";

const NO_FADE = [0, "equal-power"];
const clip = (id, start, length, more = {}) => ({
  id,
  track: "1",
  source: "s",
  name: id,
  start,
  in: 48000,
  length,
  gain_db: 0,
  fade_in: NO_FADE,
  fade_out: NO_FADE,
  ...more,
});
const track = (id) => ({ id, name: id, role: "dialogue", height_px: 64 });
const state = (clips) => ({
  clips,
  tracks: ["1", "2", "3"].map(track),
  length_samples: 2880000,
  all_samples: 2880000,
  markers: [],
  revision: 1,
  frame_rate: "25",
  least_clip_samples: 48,
  sources: { s: { speech: [[60000, 4800]], length_samples: 2880000, n_channels: 2 } },
});

export const cases = {
  effective: (wanted) =>
    wanted.map(([was, kind, by]) => {
      const kept = clip("1", was.start, was.length, { in: was.in, curve: was.curve });
      const page = model.newModel(state([kept]));
      page.gesture = { kind, by, byTracks: 0, ids: new Set(["1"]), isGrabbed: () => true };
      const shown = model.effective(page, kept);
      return { start: shown.start, in: shown.in, length: shown.length, curve: shown.curve };
    }),
  snapped: (wanted) => {
    const places = [
      { at: 100, what: "a" },
      { at: 160, what: "b" },
    ];
    return wanted.map(([edges, by, reach]) => model.snapped(places, edges, by, reach));
  },
  places: () => {
    const page = model.newModel(state([clip("1", 96000, 96000), clip("2", 400000, 1000)]));
    page.state.markers = [{ at_sample: 7, kind: "sync", text: "" }];
    return model.snapPlaces(page, 5, new Set(["2"])).map((place) => place.at);
  },
  views: () => {
    const page = model.newModel(state([clip("1", 0, 96000)]));
    const views = [
      model.zoomed(page, 0.00001, 1000),
      model.zoomed(page, 9999, 1000),
      model.scrolled(page, -1e12),
      model.scrolled(page, 1e12),
    ];
    return { views, longest: model.longest(page) };
  },
  groups: () => {
    const page = model.newModel(
      state([clip("1", 0, 10, { group: "g" }), clip("2", 50, 10, { group: "g", track: "3" }), clip("3", 90, 10)]),
    );
    const all = model.shownTracks(page).length;
    page.hidesEmpty = true;
    return {
      all,
      shown: model.shownTracks(page).map((one) => one.id),
      group: [...model.withGroup(page, new Set(["1"]))].sort(),
      under: model.clipsAt(page, 55).map((one) => one.id),
    };
  },
  delta: () => {
    const page = model.newModel(state([clip("1", 0, 10), clip("2", 50, 10)]));
    page.selected = new Set(["1", "2"]);
    model.takeDelta(page, {
      changed: [clip("3", 5, 5)],
      removed: ["2"],
      revision: 2,
      tracks: [track("1")],
      sources: { n: { speech: [] } },
    });
    return {
      clips: [...page.clips.keys()],
      selected: [...page.selected],
      revision: page.state.revision,
      key: page.state.sources.n.key,
    };
  },
  gains: (levels) => {
    const row = { y: 100, height: 64 };
    return levels.map((db) => curve.curveDb(curve.curveY(db, row), row));
  },
  hits: () => {
    const page = model.newModel(state([clip("1", 0, 960000, { curve: [[240000, 0]] }), clip("2", 480000, 960000)]));
    page.view = { start: 0, end: 2880000 };
    const scene = timeline.layoutScene(page, { width: 600, height: 400, scrollTop: 0 });
    const point = scene.rows[0].clips[0].curve[0];
    const places = {
      ruler: [50, 10],
      body: [30, 74],
      edge: [2, 74],
      upper: [150, 74],
      lane: [450, 74],
      point: [point.x, point.y],
      below: [100, 121],
      nothing: [5, 390],
    };
    return Object.fromEntries(
      Object.entries(places).map(([name, [x, y]]) => {
        const hit = timeline.hitTest(page, scene, x, y);
        return [name, [hit.kind, hit.shape ? hit.shape.clip.id : null]];
      }),
    );
  },
  levels: (samplesPerPixel) => samplesPerPixel.map(levelFor),
};
