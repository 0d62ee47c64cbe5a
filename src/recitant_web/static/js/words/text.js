// The text by turns: words to press, choose and type over. A turn is built anew only where something of it changed.

import { button, make } from "../lib/dom.js";
import { clock } from "../lib/units.js";
import {
  BY_HAND,
  LEFT_OUT,
  UNSURE,
  chosenWords,
  isLost,
  isShown,
  lostRanges,
  placeOf,
  startOf,
  wordAt,
} from "./model.js";

const FOLLOW_AGAIN_MS = 4000; // after the text was scrolled by hand

export function newText({ box, model, actions }) {
  const built = new Map(); // by id of the turn: { turn, key, element }
  let nowWord = null;
  let scrolledAt = -FOLLOW_AGAIN_MS;
  let pressed = null; // start of the word where a press began
  let typing = null;

  const nameOf = (id) => model.state.speakers.find((speaker) => speaker.id === id)?.name || "";
  const toneOf = (id) => model.state.speakers.findIndex((speaker) => speaker.id === id) % 6;

  function build(turn, ranges) {
    const words = [];
    turn.words.forEach((word, at) => {
      const kinds = ["w"];
      if (isLost(ranges, word)) kinds.push("lost");
      if (word[3] & UNSURE) kinds.push("unsure");
      if (word[3] & BY_HAND) kinds.push("by-hand");
      if (word[3] & LEFT_OUT) kinds.push("left-out");
      const span = make("span", { className: kinds.join(" "), textContent: word[0] });
      span.dataset.at = at;
      if (kinds.includes("lost")) span.title = "Lost in the mix";
      else if (kinds.includes("unsure")) span.title = "The model is not sure of this word";
      words.push(span, " ");
    });
    const who = button(nameOf(turn.who) || "nobody told apart", () => actions.people(), { className: "who" });
    who.dataset.tone = turn.who ? toneOf(turn.who) : "";
    const at = button(clock(turn.at), () => actions.seek(turn.at), { className: "at mono" });
    const letter = make("span", { className: `letter ${turn.role}`, textContent: turn.letter });
    const text = make("p", { dir: "auto" }, ...words);
    const element = make("div", { className: "turn" }, at, make("span", { className: "by" }, letter, who), text);
    element.dataset.id = turn.id;
    return element;
  }

  function show() {
    if (typing) return;
    const ranges = lostRanges(model.state);
    const key = JSON.stringify([ranges, model.state.speakers]);
    const wanted = [];
    for (const turn of model.state.turns) {
      if (!isShown(model, turn, ranges)) continue;
      const kept = built.get(turn.id);
      if (kept && kept.turn === turn && kept.key === key) wanted.push(kept.element);
      else {
        const element = build(turn, ranges);
        built.set(turn.id, { turn, key, element });
        wanted.push(element);
      }
    }
    const isThere = new Set(model.state.turns.map((turn) => turn.id));
    for (const id of built.keys()) if (!isThere.has(id)) built.delete(id);
    if (!wanted.length) wanted.push(empty());
    put(wanted);
    nowWord = null;
    showChosen();
  }

  function put(wanted) {
    const set = new Set(wanted);
    for (const child of [...box.children]) if (!set.has(child)) child.remove();
    wanted.forEach((element, at) => {
      if (box.children[at] !== element) box.insertBefore(element, box.children[at] || null);
    });
  }

  function empty() {
    const { hearing, turns } = model.state;
    if (turns.length) return make("p", { className: "empty soft", textContent: "No turn has any of these." });
    if (hearing.missing) return make("p", { className: "empty", textContent: hearing.missing });
    if (!hearing.n_recordings) {
      const words =
        "There is no narration and no dialogue yet. Bring recordings in on the Intake page, and say there what they are.";
      return make("p", { className: "empty", textContent: words });
    }
    if (hearing.work.is_open)
      return make("p", {
        className: "empty soft",
        textContent: `Transcribing. Text appears here piece by piece. ${hearing.work.note}`.trim(),
      });
    if (hearing.n_heard)
      return make("p", {
        className: "empty soft",
        textContent: "Nobody speaks in these recordings, as far as the model hears.",
      });
    const n = hearing.n_recordings;
    const words = `${n === 1 ? "One recording" : `${n} recordings`} of speech, not heard yet. Hear the words to read, search and cut by them.`;
    return make(
      "div",
      { className: "empty" },
      make("p", { textContent: words }),
      button("Hear the words…", actions.hear, { className: "act go" }),
    );
  }

  const elementOf = (entry) => {
    const kept = entry && built.get(entry.turn.id);
    return kept ? kept.element.querySelector(`[data-at="${entry.at}"]`) : null;
  };

  function entryOf(element) {
    const span = element?.closest?.(".w");
    const turn = span && model.state.turns.find((one) => one.id === span.closest(".turn").dataset.id);
    return turn ? { turn, at: Number(span.dataset.at), word: turn.words[Number(span.dataset.at)] } : null;
  }

  function showChosen() {
    for (const span of box.querySelectorAll(".chosen")) span.classList.remove("chosen");
    for (const entry of chosenWords(model)) elementOf(entry)?.classList.add("chosen");
    for (const span of box.querySelectorAll(".hit")) span.classList.remove("hit");
    for (const at of model.hits.slice(0, 400)) elementOf(model.index[placeOf(model, at)])?.classList.add("hit");
  }

  function follow(sample, isPlaying) {
    const entry = wordAt(model, sample);
    const element = elementOf(entry);
    if (element === nowWord) return;
    nowWord?.classList.remove("now");
    nowWord = element;
    if (!element) return;
    element.classList.add("now");
    if (isPlaying && performance.now() - scrolledAt > FOLLOW_AGAIN_MS) reveal(element);
  }

  function reveal(element) {
    const [area, place] = [box.getBoundingClientRect(), element.getBoundingClientRect()];
    if (place.top < area.top + 20 || place.bottom > area.bottom - 60)
      box.scrollTop += place.top - area.top - area.height / 3;
  }

  for (const kind of ["wheel", "touchmove"])
    box.addEventListener(kind, () => (scrolledAt = performance.now()), { passive: true });

  box.addEventListener("pointerdown", (event) => {
    const entry = entryOf(event.target);
    if (!entry || typing) return;
    if (event.shiftKey && model.chosen) actions.choose({ from: model.chosen.from, to: startOf(entry) });
    else pressed = startOf(entry);
    event.preventDefault();
    box.focus({ preventScroll: true });
  });
  box.addEventListener("pointermove", (event) => {
    if (pressed === null || !event.buttons) return;
    const entry = entryOf(document.elementFromPoint(event.clientX, event.clientY));
    if (entry && startOf(entry) !== pressed) actions.choose({ from: pressed, to: startOf(entry) });
  });
  box.addEventListener("pointerup", (event) => {
    if (pressed === null) return;
    const entry = entryOf(event.target);
    if (entry && startOf(entry) === pressed) {
      actions.choose({ from: pressed, to: pressed });
      actions.seek(pressed);
    }
    pressed = null;
  });
  box.addEventListener("dblclick", (event) => {
    if (entryOf(event.target)) type();
  });

  // A field over the chosen words; enter keeps what is typed, escape leaves it, tab goes on to the next word.
  function type() {
    const words = chosenWords(model);
    if (!words.length || typing) return;
    if (words.some((entry) => entry.turn !== words[0].turn)) {
      actions.say("Type over the words of one turn at a time.");
      return;
    }
    const first = elementOf(words[0]);
    if (!first) return;
    const was = words.map((entry) => entry.word[0]).join(" ");
    const field = make("input", { type: "text", className: "type-over", value: was, maxLength: 400 });
    field.setAttribute("aria-label", "The words as they are said");
    field.style.width = `${Math.max(4, was.length + 2)}ch`;
    words.slice(1).forEach((entry) => (elementOf(entry).hidden = true));
    first.replaceWith(field);
    typing = field;
    field.focus();
    field.select();
    const end = (isKept, goesOn) => {
      if (!typing) return;
      typing = null;
      built.delete(words[0].turn.id);
      const text = field.value.trim();
      const place = placeOf(model, startOf(words.at(-1)));
      if (isKept && text !== was) actions.typeOver(words, text);
      show();
      box.focus({ preventScroll: true });
      const next = model.index[place + 1];
      if (goesOn && next) {
        actions.choose({ from: startOf(next), to: startOf(next) });
        type();
      }
    };
    field.addEventListener("keydown", (event) => {
      event.stopPropagation();
      if (event.key === "Enter") end(true, false);
      else if (event.key === "Escape") end(false, false);
      else if (event.key === "Tab" && !event.shiftKey) {
        event.preventDefault();
        end(true, true);
      }
    });
    field.addEventListener("input", () => (field.style.width = `${Math.max(4, field.value.length + 2)}ch`));
    field.addEventListener("blur", () => end(true, false));
  }

  // The word before or after the last chosen one becomes the chosen one, or is chosen too.
  function step(by, isMore) {
    const words = chosenWords(model);
    const at = model.chosen
      ? placeOf(model, model.chosen.to)
      : placeOf(model, startOf(wordAt(model, actions.position()) || model.index[0] || { word: [] }));
    const next = model.index[words.length ? at + by : Math.max(0, at)];
    if (!next) return;
    actions.choose({ from: isMore && model.chosen ? model.chosen.from : startOf(next), to: startOf(next) });
    const element = elementOf(next);
    if (element) reveal(element);
    if (!isMore) actions.seek(startOf(next));
  }

  return {
    show,
    showChosen,
    follow,
    type,
    step,
    reveal: (sample) => {
      const element = elementOf(model.index[placeOf(model, sample)]);
      if (element) reveal(element);
    },
  };
}
