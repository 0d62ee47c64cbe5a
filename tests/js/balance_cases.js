// What tests/js/test_balance_modules.py asks of the Balance page's own modules; each case returns data.

import { moveEdge } from "../../src/recitant_web/static/js/balance/clearance.js";
import * as drawn from "../../src/recitant_web/static/js/balance/drawn.js";
import * as scale from "../../src/recitant_web/static/js/balance/scale.js";
import * as layout from "../../src/recitant_web/static/js/balance/score.js";
import * as model from "../../src/recitant_web/static/js/balance/model.js";

const WIDTH = 834; // 800 pixels of time beside the gutter
const SECOND = 48000;
const clip = (id, role, start, length) => ({
  id,
  track_id: role[0],
  name: id,
  start_sample: start * SECOND,
  length_samples: length * SECOND,
  gain_db: 0,
  recorded_lufs: -23,
  in_mix_lufs: -23,
});
const stave = (role, aim, clips) => ({
  role,
  letter: role[0].toUpperCase(),
  name: role,
  is_speech: role === "dialogue",
  aim_lufs: aim,
  gain_db: 0,
  lines: null,
  trim: [],
  trim_points: [],
  tracks: [{ id: role[0], name: role, gain_db: 0 }],
  clips,
});
const duck = (points, more = {}) => ({
  id: "7",
  role: "music",
  stem: "music",
  track_id: "",
  points,
  rule: { kind: "curve", uses_level: true, ...more },
});

function page({ points = [], passages = [], drag = null, ducks = null } = {}) {
  const state = {
    length_samples: 80 * SECOND,
    revision: 1,
    staves: [
      stave("dialogue", -23, [clip("voice", "dialogue", 10, 20)]),
      stave("music", -31, [clip("bed", "music", 0, 80)]),
    ],
    ducks: ducks || [duck(points)],
    speech: [
      {
        id: "voice",
        spans: [
          [12 * SECOND, 4 * SECOND, 0.9],
          [20 * SECOND, 6 * SECOND, 0.6],
        ],
      },
    ],
    feels: {},
    clearance: { asked_lu: 7, passages },
  };
  const made = model.newModel(state);
  made.drag = drag;
  const flat = (tenths) => Array.from({ length: 801 }, () => tenths);
  made.contours = {
    step_samples: SECOND / 10,
    clips: {
      bed: {
        from_sample: 0,
        tenths: flat(-310).map((t, i) => (i >= 120 && i <= 260 ? -400 : t)),
        undipped: flat(-310),
      },
      voice: { from_sample: 10 * SECOND, tenths: flat(-230).slice(0, 200) },
    },
    clearance: {
      from_sample: 0,
      tenths: flat(-1000).map((t, i) => (i >= 120 && i < 160 ? 30 : i >= 200 && i < 260 ? 120 : t)),
    },
  };
  return made;
}

const score = (made) => layout.layoutScore(made, WIDTH, 520);
const rowOf = (made, role) => score(made).rows.find((row) => row.role === role);
const POINTS = [
  [10 * SECOND, 0, false],
  [12 * SECOND, -9, false],
  [26 * SECOND, -9, true],
  [30 * SECOND, 0, false],
];

export const cases = {
  gains: (places) => places.map((second) => model.gainAt(POINTS, second * SECOND)),
  passages: (wanted) => {
    const made = page({
      passages: [10, 30, 50].map((at) => ({ start_sample: at * SECOND, length_samples: 2 * SECOND })),
    });
    return wanted.map(([second, step]) => model.passageAt(made, second * SECOND, step).start_sample / SECOND);
  },
  noPassage: () => model.passageAt(page(), 0, 1),
  handles: () =>
    rowOf(page({ points: POINTS }), "music").handles.map((h) => ({
      x: Math.round(h.x),
      y: Math.round(h.y),
      pinned: h.isPinned,
    })),
  lines: () => {
    const row = rowOf(page({ points: POINTS }), "music");
    const bed = row.clips[0];
    return {
      taken: bed.points.some(([, y], i) => y > bed.undipped[i][1]),
      same: bed.points[0][1] === bed.undipped[0][1],
    };
  },
  dragged: () => {
    const drag = { target: "duck", id: "7", index: 1, at: 12 * SECOND, gainDb: -3 };
    const still = rowOf(page({ points: POINTS }), "music").clips[0];
    const moved = rowOf(page({ points: POINTS, drag }), "music").clips[0];
    return moved.points[125][1] < still.points[125][1];
  },
  levels: () => {
    const lines = { duck_id: "7", aim_lufs: -23, open_lufs: -27, under_lufs: -35 };
    const trimmed = {
      trim: [
        [0, 0, false],
        [40 * SECOND, 5.5, true],
      ],
      trim_points: [
        [0, 0],
        [39 * SECOND, 0],
        [41 * SECOND, 5.5],
      ],
    };
    const drag = { target: "line", id: "music", which: "under", deltaDb: -3 };
    const shown = (more) => {
      const made = page(more);
      Object.assign(made.state.staves[1], { lines, ...trimmed });
      return { made, row: rowOf(made, "music"), whole: score(made) };
    };
    const { row, whole } = shown({ points: POINTS });
    const dragged = shown({ points: POINTS, drag }).row;
    const even = shown({});
    even.made.state.staves[1].lines = { ...lines, under_lufs: -27 };
    const [open, under] = row.levels;
    return {
      lufs: row.levels.map((level) => level.lufs),
      isLower: under.y > open.y,
      dragged: dragged.levels[1].lufs,
      isAim: row.lines.some((line) => line.isAim),
      even: rowOf(even.made, "music").levels.length,
      hit: layout.hitTest(whole, scale.GUTTER_WIDTH + 5, under.y + 2).kind,
      away: layout.hitTest(whole, scale.GUTTER_WIDTH + 60, under.y + 2).kind,
      isRaised: row.trimShape.scenes[1].y < row.trimShape.scenes[0].y,
      kept: row.trimShape.scenes.map((scene) => scene.isKept),
    };
  },
  phrases: () => {
    const made = page();
    made.state.staves[0].clips[0].curve = [
      [0, 0],
      [5 * SECOND, 0],
      [6 * SECOND, 6],
    ];
    const [shape] = rowOf(made, "dialogue").phrases;
    return {
      rings: shape.rings.length,
      isRaised: shape.rings[2][1] < shape.rings[1][1],
      music: rowOf(made, "music").phrases,
    };
  },
  levelsMoved: (wanted) =>
    wanted.map(([which, byDb]) => {
      const { state } = page({ ducks: [duck([], { aim: "levels", open_lu: -4, under_lu: -12 })] });
      const edit = drawn.levelsMoved(state, "music", which, byDb);
      const after = drawn.applyEdit(state, edit);
      return [edit.open_lu, edit.under_lu, after.staves[1].gain_db, after.ducks[0].rule.under_lu];
    }),
  noHandles: () =>
    [{ kind: "live" }, { uses_level: false }].map(
      (more) => rowOf(page({ ducks: [duck(POINTS, more)] }), "music").handles.length,
    ),
  ofTrack: () =>
    model.duckOf(page({ ducks: [{ ...duck([]), id: "8", stem: "", track_id: "m" }, duck([])] }), "music").id,
  lane: () => {
    const { lane } = score(page({ passages: [{ start_sample: 12 * SECOND, length_samples: 4 * SECOND }] }));
    return {
      n: lane.bars.length,
      close: lane.bars.filter((bar) => bar.isClose).length,
      low: lane.bars[0].y > lane.askedY,
      high: lane.bars.at(-1).y < lane.askedY,
      brackets: lane.passages.length,
    };
  },
  quiet: () => score(page()).lane.bars.filter((bar) => bar.isClose).length,
  hits: () => {
    const made = page({ points: POINTS, passages: [{ start_sample: 12 * SECOND, length_samples: 4 * SECOND }] });
    const whole = score(made);
    const voice = whole.rows[0];
    const foot = voice.top + voice.height - 3;
    const music = whole.rows[1];
    const x = (second) => scale.xOf(second * SECOND, made.view, WIDTH);
    const at = (px, py) => layout.hitTest(whole, px, py).kind;
    return [
      at(x(14), foot),
      at(x(12), foot),
      at(x(18), foot),
      at(x(40), foot),
      at(x(14), voice.top + 20),
      at(music.handles[0].x + 2, music.handles[0].y - 2),
      at(x(50), music.top + 30),
      at(x(13), whole.lane.top + 20),
      at(200, 4),
      at(10, music.top + 20),
    ];
  },
  lanePassage: () => {
    const made = page({ passages: [{ start_sample: 12 * SECOND, length_samples: 4 * SECOND }] });
    const whole = score(made);
    const find = (second) =>
      Boolean(layout.hitTest(whole, scale.xOf(second * SECOND, made.view, WIDTH), whole.lane.top + 9).passage);
    return [find(13), find(60)];
  },
  edges: (wanted) =>
    wanted.map(([side, was, now]) => {
      let said = null;
      moveEdge(
        (...marks) => {
          said = marks;
        },
        { id: "voice" },
        side,
        was,
        now,
      );
      return said;
    }),
  speechDrag: () => {
    const drag = {
      target: "speech",
      clipId: "voice",
      was: { from: 12 * SECOND },
      side: "to",
      from: 12 * SECOND,
      to: 18 * SECOND,
    };
    const fresh = { target: "speech", clipId: "voice", from: 27 * SECOND, to: 28 * SECOND };
    return [page(), page({ drag }), page({ drag: fresh })].map((made) =>
      rowOf(made, "dialogue").speech.map((s) => Math.round(s.width)),
    );
  },
};
