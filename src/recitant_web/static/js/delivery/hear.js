// Hearing a place of a file that was handed over: a second before it, and two behind.

const BEFORE_S = 1;
const LENGTH_S = 3;
const audio = new Audio();
let stopAt_s = 0;

function play(button) {
  const address = new URL(button.dataset.hear, location.href).href;
  const start_s = Math.max(0, Number(button.dataset.atS) - BEFORE_S);
  if (audio.src !== address) audio.src = address;
  stopAt_s = start_s + LENGTH_S;
  const begin = () => {
    audio.currentTime = start_s;
    audio.play();
  };
  if (audio.readyState > 0) begin();
  else audio.addEventListener("loadedmetadata", begin, { once: true });
}

audio.addEventListener("timeupdate", () => {
  if (audio.currentTime >= stopAt_s) audio.pause();
});
document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-hear]");
  if (button) play(button);
});
