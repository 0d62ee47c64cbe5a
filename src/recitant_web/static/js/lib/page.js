// What every page with a timeline has: notices, undo and redo by name, the play button, the two loudness readings.

import { setText } from "./dom.js";
import { signed } from "./units.js";

const NOTICE_MS = 7000;
const PLAY_SHAPE = "M3 1l12 7-12 7z";
const STOP_SHAPE = "M2 2h12v12H2z";

export const byId = (id) => document.getElementById(id);

// A function that shows a sentence for a while.
export function newNotice(box = byId("said")) {
  let timer = null;
  return function say(words, isGood = false) {
    box.textContent = words;
    box.classList.toggle("good", isGood);
    box.hidden = false;
    clearTimeout(timer);
    timer = setTimeout(() => {
      box.hidden = true;
    }, NOTICE_MS);
  };
}

export function showSteps(state) {
  for (const which of ["undo", "redo"]) {
    const button = document.querySelector(`[data-do="${which}"]`);
    button.disabled = !state[which];
    button.title = state[which] ? `${which === "undo" ? "Undo" : "Redo"}: ${state[which]}` : "";
  }
}

export function showPlaying(button, isPlaying) {
  if (button.dataset.on === String(isPlaying)) return;
  button.dataset.on = String(isPlaying);
  button.setAttribute("aria-label", isPlaying ? "Stop" : "Play");
  byId("play-shape").setAttribute("d", isPlaying ? STOP_SHAPE : PLAY_SHAPE);
}

export function showLoudness(reading) {
  if (!reading) return;
  const text = (tenths) => (tenths <= -1000 ? "–" : signed(tenths / 10));
  setText(byId("r-momentary"), text(reading.momentary));
  setText(byId("r-short-term"), text(reading.shortTerm));
}
