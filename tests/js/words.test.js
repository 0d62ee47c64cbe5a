// The Words page's model, without its page: node --test tests/js

import assert from "node:assert/strict";
import { test } from "node:test";

import * as model from "../../src/recitant_web/static/js/words/model.js";

const S = 48000;
const word = (text, at, marks = 0) => [text, at * S, at * S + S / 2, marks];
const turn = (id, track_id, ...words) => ({ id, track_id, at: words[0][1], words });
const state = (turns, more = {}) => ({ turns, captions: [], speakers: [], fillers: [], pauses: [], ...more });
const FILM = state([
  turn("1", "7", word("You", 0), word("do", 1, model.UNSURE), word("not", 2)),
  turn("2", "8", word("Pour", 4), word("Not", 5), word("now.", 6)),
]);

test("chosen words run from either end, over turns, one stretch a turn", () => {
  const page = model.newModel(FILM);
  page.chosen = { from: 5 * S, to: S };
  const chosen = model.chosenWords(page);
  assert.deepEqual(
    chosen.map((one) => one.word[0]),
    ["do", "not", "Pour", "Not"],
  );
  assert.deepEqual(model.stretchesOf(chosen), [
    { track_id: "7", from_sample: S, to_sample: 2.5 * S },
    { track_id: "8", from_sample: 4 * S, to_sample: 5.5 * S },
  ]);
});

test("what was chosen is nothing once one end of it is gone", () => {
  const page = model.newModel(FILM);
  page.chosen = { from: S, to: 99 };
  assert.deepEqual(model.chosenWords(page), []);
});

test("at a moment stands the word under it, else the one before; before the first there is none", () => {
  const page = model.newModel(FILM);
  assert.equal(model.wordAt(page, 3 * S).word[0], "not");
  assert.equal(model.wordAt(page, 4 * S).word[0], "Pour");
  assert.equal(model.wordAt(page, -1), null);
});

test("words are found whatever their case and stops; the last may go on, those before it may not", () => {
  const page = model.newModel(FILM);
  assert.deepEqual(model.placesOf(page, "not"), [2 * S, 5 * S]);
  assert.deepEqual(model.placesOf(page, "NOT  no"), [5 * S]);
  assert.deepEqual(model.placesOf(page, "no now"), []);
  assert.deepEqual(model.placesOf(page, "not pour"), [2 * S]);
  assert.deepEqual(model.placesOf(page, " … "), []);
});

test("a word is lost where one was lost and it still is that word", () => {
  const ranges = model.lostRanges({
    lost: {
      passages: [
        { is_accepted: false, words: [[S, 2 * S, "do"]] },
        { is_accepted: true, words: [[4 * S, 5 * S, "pour"]] },
      ],
    },
  });
  assert.equal(model.isLost(ranges, word("Do!", 1)), true);
  assert.equal(model.isLost(ranges, word("don't", 1)), false);
  assert.equal(model.isLost(ranges, word("do", 2)), false);
  assert.equal(model.isLost(ranges, word("Pour", 4)), false);
});

test("as many words typed over as there were keep their times; others share the stretch", () => {
  const stretch = { track_id: "7", from_sample: 0, to_sample: 3 * S };
  const typed = (text) => model.applyEdit(FILM, { kind: "words-type", stretch, text }).turns[0].words;
  assert.deepEqual(
    typed("We did so").map((one) => one[1]),
    [0, S, 2 * S],
  );
  assert.ok(typed("We did so").every((one) => one[3] === model.BY_HAND));
  const two = typed("Never mind");
  assert.deepEqual([two[0][1], two[0][2], two[1][1], two[1][2]], [0, 1.25 * S, 1.25 * S, 2.5 * S]);
  assert.equal(FILM.turns[0].words[0][0], "You");
});

test("a turn whose words are all taken away goes with them", () => {
  const stretch = { track_id: "7", from_sample: 0, to_sample: 3 * S };
  const left = model.applyEdit(FILM, { kind: "words-type", stretch, text: "" });
  assert.deepEqual(
    left.turns.map((one) => one.id),
    ["2"],
  );
});

test("an edit of one caption or speaker changes that one alone", () => {
  const film = state([], {
    captions: [
      { id: 3, from: 0, to: S, text: "a" },
      { id: 4, from: S, to: 2 * S, text: "b" },
    ],
    speakers: [
      { id: 1, name: "?" },
      { id: 2, name: "Founder" },
    ],
  });
  const moved = model.applyEdit(film, { kind: "caption-set", id: "4", end_sample: 3 * S });
  assert.deepEqual(moved.captions, [film.captions[0], { id: 4, from: S, to: 3 * S, text: "b" }]);
  const named = model.applyEdit(film, { kind: "speaker-name", speaker_id: 1, name: "Apprentice" });
  assert.deepEqual(named.speakers, [{ id: 1, name: "Apprentice" }, film.speakers[1]]);
  assert.equal(model.applyEdit(film, { kind: "unknown" }), film);
});

test("filters show turns with unsure words, fillers in them and pauses after them", () => {
  const page = model.newModel(state(FILM.turns, { fillers: [{ track_id: "8", from: 4 * S, to: 5 * S }] }));
  page.state.pauses = [{ track_id: "8", from: 8 * S }];
  const shown = (filter) => {
    page.filter = filter;
    return page.state.turns.filter((one) => model.isShown(page, one, [])).map((one) => one.id);
  };
  assert.deepEqual(shown("unsure"), ["1"]);
  assert.deepEqual(shown("fillers"), ["2"]);
  assert.deepEqual(shown("pauses"), ["2"]);
  assert.deepEqual(shown("lost"), []);
  assert.deepEqual(shown(""), ["1", "2"]);
});
