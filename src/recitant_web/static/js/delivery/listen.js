// Hearing the programme on Hand over: as balanced or as any line of the sheet hands it over, through what viewers have.

import { clock } from "../lib/units.js";
import { setText } from "../lib/dom.js";
import { newNotice, showPlaying } from "../lib/page.js";
import { Player } from "../lib/player.js";
import { newThrough } from "../lib/through.js";

const STEP_S = 5;
const RATE_HZ = 48000;

const box = document.getElementById("listen");
const place = document.getElementById("listen-place");
const time = document.getElementById("listen-time");
const hear = document.getElementById("listen-to");
const playButton = box.querySelector('[data-do="play"]');
const length = Number(box.dataset.lengthSamples);
let isHeld = false; // the place is being dragged

const player = new Player(box.dataset.sound, {
  parameters: () => ({
    ...(hear.value ? { hear: "handed-over", spec: hear.value } : { hear: "mix" }),
    ...through.parameters(),
  }),
  length: () => length,
  onFault: newNotice(),
  onBlock: (readings) => through.show(readings),
});
const through = newThrough(() => player);

function playOrStop() {
  if (player.isOn) player.stop();
  else player.play();
}

hear.addEventListener("change", () => player.refresh());
playButton.addEventListener("click", playOrStop);
place.addEventListener("input", () => {
  isHeld = true;
  setText(time, clock(Number(place.value) * RATE_HZ));
});
place.addEventListener("change", () => {
  isHeld = false;
  player.seek(Number(place.value) * RATE_HZ);
});
document.addEventListener("keydown", (event) => {
  if (event.target.closest("input, select, textarea, button, summary, a") || event.ctrlKey || event.metaKey) return;
  if (event.key === " ") playOrStop();
  else if (event.key === ",") player.seek(player.position() - STEP_S * RATE_HZ);
  else if (event.key === ".") player.seek(player.position() + STEP_S * RATE_HZ);
  else return;
  event.preventDefault();
});

function tick() {
  showPlaying(playButton, player.isOn);
  if (!isHeld) {
    place.value = String(player.position() / RATE_HZ);
    setText(time, clock(player.position()));
  }
  requestAnimationFrame(tick);
}
requestAnimationFrame(tick);
