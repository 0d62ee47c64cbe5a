// What every page with a timeline has: notices, undo and redo by name, the play button, the two loudness readings.

import { make, setText } from "./dom.js";
import { signed } from "./units.js";

const STEP_LETTERS = 28;
const NOTICE_MS = 7000;
const OFFER_MS = 20000;
const PLAY_SHAPE = "M3 1l12 7-12 7z";
const STOP_SHAPE = "M2 2h12v12H2z";

export const byId = (id) => document.getElementById(id);

// A function that shows a sentence for a while, with what can be done about it: {label, run}.
export function newNotice(box = byId("said")) {
  let timer = null;
  return function say(words, isGood = false, offer = null) {
    box.textContent = words;
    if (offer) {
      const run = () => {
        box.hidden = true;
        offer.run();
      };
      const press = make("button", { type: "button", className: "act", textContent: offer.label });
      press.addEventListener("click", run);
      box.append(" ", press);
    }
    box.classList.toggle("good", isGood);
    box.hidden = false;
    clearTimeout(timer);
    timer = setTimeout(
      () => {
        box.hidden = true;
      },
      offer ? OFFER_MS : NOTICE_MS,
    );
  };
}

export function showSteps(state) {
  for (const which of ["undo", "redo"]) {
    const button = document.querySelector(`[data-do="${which}"]`);
    button.disabled = !state[which];
    const word = which === "undo" ? "Undo" : "Redo";
    button.title = state[which] ? `${word}: ${state[which]}` : "";
    const isNarrow = window.matchMedia("(max-width: 1400px)").matches;
    setText(button, state[which] && !isNarrow ? `${word}: ${state[which].slice(0, STEP_LETTERS)}` : word);
  }
}

export function showPlaying(button, isPlaying) {
  if (button.dataset.on === String(isPlaying)) return;
  button.dataset.on = String(isPlaying);
  button.setAttribute("aria-label", isPlaying ? "Stop" : "Play");
  byId("play-shape").setAttribute("d", isPlaying ? STOP_SHAPE : PLAY_SHAPE);
}

// The highest true peak heard stands in for the one of the mix while that is being measured: it is at least this.
let heardTruePeak = -1000;
function showRunningPeak(reading) {
  const cell = byId("r-true_peak_dbtp");
  if (!cell?.dataset.isPending) {
    heardTruePeak = -1000;
    return;
  }
  heardTruePeak = Math.max(heardTruePeak, reading.truePeak);
  if (heardTruePeak > -1000) setText(cell, `≥ ${signed(heardTruePeak / 10)}`);
}

export function showLoudness(reading) {
  if (!reading) return;
  showRunningPeak(reading);
  const text = (tenths) => (tenths <= -1000 ? "–" : signed(tenths / 10));
  setText(byId("r-momentary"), text(reading.momentary));
  setText(byId("r-short-term"), text(reading.shortTerm));
}
