// The Level page's model, without its page: node --test tests/js

import assert from "node:assert/strict";
import { test } from "node:test";

import { bandsOf } from "../../src/recitant_web/static/js/level/bands.js";
import * as model from "../../src/recitant_web/static/js/level/model.js";

const clip = (id, more = {}) => ({
  id,
  name: id,
  speaker: "",
  track: "Dialogue",
  role: "dialogue",
  start_sample: 0,
  level_lufs: -27,
  aim_lufs: -27,
  ...more,
});
const FREQUENCY = { name: "freq_hz", least: 20, most: 20000, is_log: true, unit: "Hz", default: 80 };
const GAIN = { name: "gain_db", least: -24, most: 24, is_log: false, unit: "dB", default: 0 };
const KINDS = [{ kind: "high-pass", label: "High-pass", parameters: [FREQUENCY, GAIN] }];
const made = (clips, more = {}) =>
  model.newModel({ clips, tracks: [], stems: [], master: { chain: [] }, clip_chains: {}, ...more }, { kinds: KINDS });
const ids = (rows) => rows.map((row) => row.id);

test("a clip is off its aim where it lies over one LU away, above or below; one without a level is not", () => {
  const level = (level_lufs) => model.isOff(clip("a", { level_lufs }));
  assert.deepEqual([-25.9, -26, -28, -28.1, null].map(level), [true, false, false, true, false]);
});

test("rows without a figure come last, whichever way the sheet is sorted", () => {
  const page = made([clip("none", { level_lufs: null }), clip("low", { level_lufs: -33 }), clip("high")]);
  page.sort = { key: "level_lufs", isUp: true };
  assert.deepEqual(ids(model.rowsShown(page)), ["low", "high", "none"]);
  page.sort = { key: "level_lufs", isUp: false };
  assert.deepEqual(ids(model.rowsShown(page)), ["high", "low", "none"]);
});

test("rows alike in the sorted figure stay in the order of the programme", () => {
  const page = made([clip("later", { start_sample: 9 }), clip("first", { start_sample: 2 })]);
  page.sort = { key: "level_lufs", isUp: false };
  assert.deepEqual(ids(model.rowsShown(page)), ["first", "later"]);
});

test("a filter finds names, speakers and tracks, by role and by distance", () => {
  const page = made([
    clip("door", { role: "effects", track: "Effects" }),
    clip("line", { speaker: "Founder", level_lufs: -20 }),
  ]);
  page.filter = { role: "", isOff: false, text: " FOUND" };
  assert.deepEqual(ids(model.rowsShown(page)), ["line"]);
  page.filter = { role: "effects", isOff: false, text: "" };
  assert.deepEqual(ids(model.rowsShown(page)), ["door"]);
  page.filter = { role: "", isOff: true, text: "" };
  assert.deepEqual(ids(model.rowsShown(page)), ["line"]);
});

test("an action goes to the chosen clips that are still there, else to the one in focus", () => {
  const page = made([clip("a"), clip("b"), clip("c")]);
  assert.deepEqual(model.chosenIds(page), ["a"]);
  page.chosen = new Set(["c", "gone", "b"]);
  assert.deepEqual(model.chosenIds(page), ["b", "c"]);
  assert.deepEqual(model.chosenIds(made([])), []);
});

test("a value that is set back to its default leaves no trace, and the chain before stays as it was", () => {
  const page = made([clip("a")]);
  const chain = [{ kind: "high-pass" }];
  const set = model.withValue(page, chain, 0, "freq_hz", 120);
  assert.deepEqual(set, [{ kind: "high-pass", values: { freq_hz: 120 } }]);
  assert.equal(model.valueOf(page, set[0], "freq_hz"), 120);
  assert.deepEqual(model.withValue(page, set, 0, "freq_hz", 80), [{ kind: "high-pass", values: {} }]);
  assert.deepEqual(chain, [{ kind: "high-pass" }]);
});

test("points of a curve lie in order, and a curve without points is none", () => {
  const chain = [{ kind: "high-pass" }];
  const set = model.withCurve(chain, 0, "freq_hz", [
    [900, 80],
    [100, 90],
  ]);
  assert.deepEqual(set[0].curves.freq_hz, [
    [100, 90],
    [900, 80],
  ]);
  assert.deepEqual(model.withCurve(set, 0, "freq_hz", [])[0].curves, {});
});

test("a value and its share of a slider are each other's inverse, and stay inside", () => {
  for (const parameter of [FREQUENCY, GAIN]) {
    assert.equal(model.share(parameter.least, parameter), 0);
    assert.ok(Math.abs(model.share(parameter.most, parameter) - 1) < 1e-12);
    for (const part of [0, 0.25, 0.7, 1])
      assert.ok(Math.abs(model.share(model.valueAt(part, parameter), parameter) - part) < 1e-9);
    assert.equal(model.valueAt(-3, parameter), parameter.least);
  }
  // Halfway along a logarithmic slider lies the geometric mean.
  assert.ok(Math.abs(model.valueAt(0.5, FREQUENCY) - Math.sqrt(20 * 20000)) < 1e-6);
});

test("what was said of another processor of the chain is not shown for this one", () => {
  const page = made([clip("a")], { clip_chains: { a: [{ kind: "high-pass" }, { kind: "high-pass" }] } });
  page.view = { subject: model.subjectOf(page), response: [1], spectrum: [2] };
  model.dropOthersView(page);
  assert.deepEqual(page.view.response, [1]);
  page.index = 1;
  model.dropOthersView(page);
  assert.equal(page.view.response, null);
  assert.deepEqual(page.view.spectrum, [2]);
});

test("a filter has one handle in its spectrum, at its corner", () => {
  const [band] = bandsOf(made([]), { kind: "high-pass", values: { freq_hz: 100 } });
  assert.deepEqual([band.hz, band.db, band.names], [100, -3, { hz: "freq_hz" }]);
});
