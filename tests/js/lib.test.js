// What the pages share, each function alone: node --test tests/js

import assert from "node:assert/strict";
import { test } from "node:test";

import { newDrafts } from "../../src/recitant_web/static/js/level/drafts.js";
import { patched } from "../../src/recitant_web/static/js/lib/patches.js";
import { newAfterPress } from "../../src/recitant_web/static/js/lib/pressed.js";
import { tickStepS } from "../../src/recitant_web/static/js/lib/ticks.js";
import { clock, gainText, samplesOfFrames, signed, timecode } from "../../src/recitant_web/static/js/lib/units.js";

test("a figure is written with a true minus, and never as minus nothing", () => {
  assert.equal(signed(-23.04), "−23.0");
  assert.equal(signed(-0.04), "0.0");
  assert.equal(signed(null), "–");
  assert.equal(gainText(0.04), "0.0");
  assert.equal(gainText(0.06), "+0.1");
});

test("a time has hours only where there are any", () => {
  assert.equal(clock(0), "0:00");
  assert.equal(clock(48000 * 61 - 1), "1:00");
  assert.equal(clock(48000 * 3661), "1:01:01");
});

test("drop-frame timecode leaves two numbers out, but for every tenth minute", () => {
  // SMPTE ST 12-1: 00:00:59;29 is followed by 00:01:00;02, 00:09:59;29 by 00:10:00;00.
  assert.equal(timecode(samplesOfFrames(0, 1799, "29.97df"), "29.97df"), "00:00:59;29");
  assert.equal(timecode(samplesOfFrames(0, 1800, "29.97df"), "29.97df"), "00:01:00;02");
  assert.equal(timecode(samplesOfFrames(0, 17982, "29.97df"), "29.97df"), "00:10:00;00");
});

test("frames before the first are the first", () => {
  assert.equal(samplesOfFrames(4000, -100, "25"), 0);
});

test("ticks of a ruler are as many as fit, and no finer than what there is", () => {
  for (const seconds of [0.5, 3, 14, 180, 5400]) {
    for (const most of [4, 10]) assert.ok(seconds / tickStepS(seconds, most) <= most);
  }
  assert.equal(tickStepS(1, 1000, 0.2), 0.2);
});

test("what a patch does not name is the same object as before, and nothing is changed in place", () => {
  const state = {
    view: { start: 1 },
    clips: [
      { id: 1, gain_db: 0 },
      { id: 2, gain_db: -3 },
    ],
  };
  const kept = structuredClone(state);
  const found = patched(state, { in: { clips: { in: { 2: { set: { gain_db: -4 } } } } } });
  assert.deepEqual(state, kept);
  assert.equal(found.view, state.view);
  assert.equal(found.clips[0], state.clips[0]);
  assert.deepEqual(found.clips[1], { id: 2, gain_db: -4 });
});

test("rows come, go and move in the order that is told", () => {
  const rows = [{ id: 1 }, { id: 2 }, { id: 3 }];
  assert.deepEqual(patched(rows, { rows: [{ id: 9 }], order: [3, 9, 1] }), [{ id: 3 }, { id: 9 }, { id: 1 }]);
});

test("a chain that is tried is sent once, however often it is heard", async () => {
  const sent = [];
  const nameOf = newDrafts({ post: async (_, { chain }) => ({ draft: `d${sent.push(chain)}` }) }, "/drafts");
  const chain = [{ kind: "compressor" }];
  assert.deepEqual([await nameOf(chain), await nameOf(chain)], ["d1", "d1"]);
  assert.equal(await nameOf([...chain]), "d2");
  assert.equal(sent.length, 2);
});

test("work that would take a press away waits until it is over, and only the newest is done", async () => {
  const heard = {};
  const listens = { addEventListener: (kind, then) => (heard[kind] = then) };
  globalThis.window = listens;
  const afterPress = newAfterPress(listens);
  const done = [];
  afterPress(() => done.push("at once"));
  heard.pointerdown({ target: { closest: () => null } });
  afterPress(() => done.push("older"));
  afterPress(() => done.push("newest"));
  assert.deepEqual(done, ["at once"]);
  heard.pointerup();
  await new Promise((then) => setTimeout(then));
  assert.deepEqual(done, ["at once", "newest"]);
});
