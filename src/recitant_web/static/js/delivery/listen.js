// Hearing the programme on Hand over: as balanced or as any line of the sheet hands it over, through what viewers have.

import { RATE_HZ, clock } from "../lib/units.js";
import { setText } from "../lib/dom.js";
import { newNotice, showPlaying } from "../lib/page.js";
import { Player } from "../lib/player.js";
import { bindShortcuts, newShortcutsDialog } from "../lib/shortcuts.js";
import { newThrough } from "../lib/through.js";

const STEP_S = 5;

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
const step = (seconds) => player.seek(player.position() + seconds * RATE_HZ);
const shortcuts = [
  {
    title: "Hearing it",
    rows: [
      { shown: "space", words: "play, stop", run: { " ": playOrStop } },
      { shown: ", .", words: "playhead by 5 s", run: { ",": () => step(-STEP_S), ".": () => step(STEP_S) } },
      { shown: "?", words: "these keys", run: { "?": () => showShortcuts() } },
    ],
  },
];
const showShortcuts = newShortcutsDialog(shortcuts);
bindShortcuts(shortcuts);

function tick() {
  showPlaying(playButton, player.isOn);
  if (!isHeld) {
    place.value = String(player.position() / RATE_HZ);
    setText(time, clock(player.position()));
  }
  requestAnimationFrame(tick);
}
requestAnimationFrame(tick);
