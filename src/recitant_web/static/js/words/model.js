// What the Words page knows: turns with their words in order, which are chosen, and what is marked on each.

import { RATE_HZ } from "../lib/units.js";

export const UNSURE = 1;
export const BY_HAND = 2;
export const LEFT_OUT = 4;

export function newModel(state) {
  return {
    base: state,
    state,
    filter: "",
    chosen: null, // { from, to }: starts of the first and the last chosen word
    panel: "lost",
    caption: null, // id of the chosen one
    drag: null, // of an edge of a caption
    view: { start: 0, end: 14 * RATE_HZ },
    contours: null,
    found: [], // in other programmes
    hits: [], // places of what is looked for in this one
    index: indexOf(state),
  };
}

// Every word with its turn, in the order of the text.
export function indexOf(state) {
  return state.turns.flatMap((turn) => turn.words.map((word, at) => ({ turn, at, word })));
}

export const startOf = (entry) => entry.word[1];

// Place in the index of the word that begins at a sample; -1 for none.
export const placeOf = (model, sample) => model.index.findIndex((entry) => startOf(entry) === sample);

// The chosen words, in order.
export function chosenWords(model) {
  if (!model.chosen) return [];
  const [a, b] = [placeOf(model, model.chosen.from), placeOf(model, model.chosen.to)];
  return a < 0 || b < 0 ? [] : model.index.slice(Math.min(a, b), Math.max(a, b) + 1);
}

// Chosen words as stretches of tracks, one a turn.
export function stretchesOf(words) {
  const found = [];
  for (const { turn, word } of words) {
    const last = found.at(-1);
    if (last?.turn === turn) last.to_sample = word[2];
    else found.push({ turn, track_id: turn.track_id, from_sample: word[1], to_sample: word[2] });
  }
  return found.map(({ track_id, from_sample, to_sample }) => ({ track_id, from_sample, to_sample }));
}

// The word under a moment, else the one before it; null before the first.
export function wordAt(model, sample) {
  let best = null;
  for (const entry of model.index)
    if (startOf(entry) <= sample && (!best || startOf(entry) > startOf(best))) best = entry;
  return best;
}

// Starts of the words that are lost in the mix, as a list of [from, to] in order.
export const lostRanges = (state) =>
  state.lost.passages.filter((passage) => !passage.is_accepted).flatMap((passage) => passage.words);

const plain = (text) =>
  text
    .toLocaleLowerCase()
    .replaceAll("’", "'")
    .replace(/[^\p{L}\p{N}']+/gu, "");

// A word that lies where one was lost, and is that word: after an edit another may have come to lie there.
export function isLost(ranges, word) {
  const middle = (word[1] + word[2]) / 2;
  return ranges.some(([from, to, text]) => from <= middle && middle < to && plain(text) === plain(word[0]));
}

// Places in the index where words follow each other; the last may go on.
export function placesOf(model, text) {
  const wanted = text.split(/\s+/).map(plain).filter(Boolean);
  if (!wanted.length) return [];
  const spelled = model.index.map((entry) => plain(entry.word[0]));
  const found = [];
  for (let at = 0; at + wanted.length <= spelled.length; at += 1) {
    const isThere = wanted.every((word, k) =>
      k === wanted.length - 1 ? spelled[at + k].startsWith(word) : spelled[at + k] === word,
    );
    if (isThere) found.push(startOf(model.index[at]));
  }
  return found;
}

// The state with an edit drawn over it that the server has not answered yet.
export function applyEdit(state, data) {
  if (data.kind === "words-type") return typedOver(state, data);
  if (data.kind === "caption-set") {
    const change = (row) => ({
      ...row,
      from: data.start_sample ?? row.from,
      to: data.end_sample ?? row.to,
      text: data.text ?? row.text,
    });
    return { ...state, captions: state.captions.map((row) => (row.id === Number(data.id) ? change(row) : row)) };
  }
  if (data.kind === "speaker-name") {
    const named = (row) => (row.id === data.speaker_id ? { ...row, name: data.name } : row);
    return { ...state, speakers: state.speakers.map(named) };
  }
  return state;
}

function typedOver(state, { stretch, text }) {
  const parts = text.split(/\s+/).filter(Boolean);
  const inside = (word) => word[1] >= stretch.from_sample && word[2] <= stretch.to_sample;
  const turns = state.turns.map((turn) => {
    if (turn.track_id !== stretch.track_id || !turn.words.some(inside)) return turn;
    const old = turn.words.filter(inside);
    const first = turn.words.indexOf(old[0]);
    const time = (k) => old[0][1] + ((old.at(-1)[2] - old[0][1]) * k) / Math.max(1, parts.length);
    const made = parts.map((part, k) =>
      parts.length === old.length ? [part, old[k][1], old[k][2], BY_HAND] : [part, time(k), time(k + 1), BY_HAND],
    );
    return { ...turn, words: [...turn.words.slice(0, first), ...made, ...turn.words.slice(first + old.length)] };
  });
  return { ...state, turns: turns.filter((turn) => turn.words.length) };
}

// Whether a turn is shown under a filter.
export function isShown(model, turn, ranges) {
  const within = ({ from, to, track_id: track }) =>
    track === turn.track_id && turn.words.some((word) => word[1] < to && word[2] > from);
  const beside = ({ from, track_id: track }) =>
    track === turn.track_id && from >= turn.at && from <= turn.words.at(-1)[2] + 96000;
  switch (model.filter) {
    case "lost":
      return turn.words.some((word) => isLost(ranges, word));
    case "unsure":
      return turn.words.some((word) => word[3] & UNSURE);
    case "fillers":
      return model.state.fillers.some(within);
    case "pauses":
      return model.state.pauses.some(beside);
    default:
      return true;
  }
}
