// Narration recorded in the page: a level check first, a count-in, the programme running along, and the take kept as a source.
// What is sent are the microphone's own samples; they are placed where the person heard the programme while speaking.

import { make } from "../lib/dom.js";
import { kindOf } from "../lib/roles.js";
import { RATE_HZ } from "../lib/units.js";

const COUNT_IN_S = 3;
const GOOD_DBFS = [-24, -6];
const HANDLE_S = 1; // before and behind a range, so that its edges can be moved
const FULL_SCALE = 0.999;

export function bindNarration({ model, player, say, reload, page }) {
  const box = document.getElementById("tab-narration");
  let stream = null;
  let capture = null;
  let blocks = [];
  let isRecording = false;
  let startedAt = null;
  let highest = 0;
  let meterTimer = null;

  const words = make("p", {
    className: "soft",
    textContent:
      "Check the level first: the browser asks for the microphone. Headphones keep the programme out of the take.",
  });
  const bar = make("div", { className: "bar level" }, make("i"));
  const level = make("span", { className: "mono" });
  const check = make("button", { type: "button", className: "act", textContent: "Check the level" });
  const record = make("button", {
    type: "button",
    className: "act go",
    textContent: "Record from the playhead",
    disabled: true,
  });
  const track = make("select", { className: "plain-select", ariaLabel: "Onto which track" });
  const into = make("input", { type: "checkbox" });
  const intoWords = make("span");
  into.addEventListener("change", show);
  const count = make("div", { className: "count-in mono" });
  const takes = make("div");
  box.append(
    words,
    make("p", { className: "row" }, check, level),
    bar,
    make("label", { className: "field" }, make("span", { textContent: "onto" }), track),
    make("label", { className: "tick" }, into, intoWords),
    make("p", { className: "row" }, record),
    count,
    takes,
  );

  check.addEventListener("click", () => (stream ? close() : open()));
  record.addEventListener("click", () => (isRecording ? finish() : begin()));

  const rangeOf = () => (into.checked && model.range ? model.range : null);

  function show() {
    const kept = track.value;
    const rank = { narration: 0, dialogue: 1 };
    const known = [...model.state.tracks].sort((a, b) => (rank[kindOf(a.role)] ?? 2) - (rank[kindOf(b.role)] ?? 2));
    track.replaceChildren(
      ...known.map((one) => make("option", { value: one.id, textContent: one.name })),
      make("option", { value: "0", textContent: "a new track" }),
    );
    const isNew = kindOf(known[0]?.role || "") !== "narration";
    track.value = known.some((each) => each.id === kept) ? kept : isNew ? "0" : known[0].id;
    into.disabled = !model.range;
    const seconds = model.range ? ` (${((model.range[1] - model.range[0]) / RATE_HZ).toFixed(2)} s)` : "";
    intoWords.textContent = `only into the range${seconds}${model.range ? "" : ": i and o set one"}`;
    if (!isRecording) record.textContent = rangeOf() ? "Record into the range" : "Record from the playhead";
  }

  async function open() {
    try {
      stream = await navigator.mediaDevices.getUserMedia({
        audio: { echoCancellation: false, noiseSuppression: false, autoGainControl: false, channelCount: 1 },
      });
    } catch (error) {
      say(
        error.name === "NotAllowedError"
          ? "The browser was not allowed to use the microphone. Allow it for this page, beside the address, and try again."
          : "No microphone was found. Plug one in and try again.",
      );
      return;
    }
    await player.wake();
    await player.context.audioWorklet.addModule(page.dataset.capture);
    capture = new AudioWorkletNode(player.context, "capture", { numberOfOutputs: 0 });
    player.context.createMediaStreamSource(stream).connect(capture);
    capture.port.onmessage = ({ data }) => {
      for (const value of data.samples) highest = Math.max(highest, Math.abs(value));
      if (isRecording) blocks.push(data);
    };
    meterTimer = setInterval(showLevel, 100);
    check.textContent = "Close the microphone";
    record.disabled = false;
  }

  function close() {
    clearInterval(meterTimer);
    stream.getTracks().forEach((one) => one.stop());
    capture.disconnect();
    stream = null;
    check.textContent = "Check the level";
    record.disabled = true;
    level.textContent = "";
    bar.firstChild.style.width = "0";
  }

  function showLevel() {
    const db = 20 * Math.log10(highest + 1e-6);
    highest = 0;
    bar.firstChild.style.width = `${Math.max(0, Math.min(100, (db + 60) / 0.6))}%`;
    bar.classList.toggle("is-over", db > -1);
    const advice =
      db > -1
        ? "too loud: move back"
        : db > GOOD_DBFS[1]
          ? "a little loud"
          : db > GOOD_DBFS[0]
            ? "good"
            : "speak: too low or silent";
    level.textContent = `${db.toFixed(0).replace("-", "−")} dBFS, ${advice}`;
  }

  async function begin() {
    const range = rangeOf();
    const from = range ? range[0] : player.position();
    const lead = COUNT_IN_S * RATE_HZ;
    player.stop();
    blocks = [];
    isRecording = true;
    record.textContent = "Stop and keep";
    const silent = Math.max(0, lead - from) / RATE_HZ;
    startedAt = { from, range, context: null };
    // The clock of the sound counts: what is said before the programme reaches the place is not part of the take.
    const countDown = () => {
      if (!isRecording) {
        count.textContent = "";
        return;
      }
      const left = startedAt.context === null ? COUNT_IN_S : startedAt.context - player.context.currentTime;
      count.textContent = left > 0 ? String(Math.min(COUNT_IN_S, Math.ceil(left))) : "● recording";
      if (range && left < -((range[1] - range[0]) / RATE_HZ + HANDLE_S + 0.5)) finish();
      else setTimeout(countDown, 80);
    };
    countDown();
    if (silent)
      await new Promise((resolve) => {
        setTimeout(resolve, silent * 1000);
      });
    if (!isRecording) return;
    if (model.state.length_samples > 0) {
      player.seek(Math.max(0, from - lead));
      await player.play();
      const wait = setInterval(() => {
        const block = player.blocks[0];
        if (!block) return;
        clearInterval(wait);
        // When the programme's place ``from`` sounds, on the clock that the microphone's blocks carry too.
        startedAt.context = block.time + (from - block.start) / RATE_HZ;
      }, 20);
    } else startedAt.context = player.context.currentTime + COUNT_IN_S - silent;
  }

  async function finish() {
    isRecording = false;
    show();
    player.stop();
    const { context } = player;
    if (!blocks.length || startedAt.context === null) {
      say("The count-in had not ended; nothing was kept.");
      return;
    }
    const late = Math.round(((context.outputLatency || 0) + (context.baseLatency || 0)) * RATE_HZ);
    const skip = Math.max(0, Math.round(startedAt.context * RATE_HZ) + late - blocks[0].frame);
    const all = new Float32Array(blocks.length * 128);
    blocks.forEach((block, i) => all.set(block.samples, i * 128));
    const { range } = startedAt;
    const handle = range ? Math.min(HANDLE_S * RATE_HZ, skip) : 0;
    const length = range ? range[1] - range[0] : 0;
    const samples = all.subarray(skip - handle, range ? skip + length + HANDLE_S * RATE_HZ : all.length);
    if (samples.length < 4800) {
      say("The take is shorter than a tenth of a second; nothing was kept.");
      return;
    }
    const form = new FormData();
    form.append("file", new File([wavOf(samples)], "take.wav", { type: "audio/wav" }));
    form.append("at_sample", String(startedAt.from));
    form.append("track_id", track.value);
    form.append("in_sample", String(handle));
    form.append("length_samples", String(Math.min(length, samples.length - handle)));
    const row = make("p", { className: "soft", textContent: "The take is on its way." });
    const nClipped = samples.reduce((n, value) => n + (Math.abs(value) >= FULL_SCALE), 0);
    if (nClipped) say("This take clips: move back from the microphone, or turn it down, and record it again.");
    takes.prepend(row);
    try {
      const response = await fetch(page.dataset.takes, {
        method: "POST",
        body: form,
        headers: { "X-CSRFToken": page.dataset.csrf, Accept: "application/json" },
      });
      const data = await response.json();
      if (!response.ok) {
        row.textContent = data.sentence;
        return;
      }
      row.textContent = `${data.name}, ${(samples.length / RATE_HZ).toFixed(1)} s: kept.${nClipped ? " It clips." : ""}`;
      row.classList.toggle("over", nClipped > 0);
      const revision = model.state.revision;
      for (let tries = 0; tries < 40 && model.state.revision === revision; tries += 1) {
        await new Promise((resolve) => {
          setTimeout(resolve, 300);
        });
        await reload();
      }
    } catch {
      row.textContent = "The take did not reach the server. Check the connection and record it again.";
    }
  }

  show();
  return { show };
}

// Float samples at 48 kHz, one channel, as a WAV file.
function wavOf(samples) {
  const header = new DataView(new ArrayBuffer(44));
  const text = (at, word) => [...word].forEach((c, i) => header.setUint8(at + i, c.charCodeAt(0)));
  text(0, "RIFF");
  header.setUint32(4, 36 + samples.byteLength, true);
  text(8, "WAVEfmt ");
  header.setUint32(16, 16, true);
  header.setUint16(20, 3, true);
  header.setUint16(22, 1, true);
  header.setUint32(24, RATE_HZ, true);
  header.setUint32(28, 192000, true);
  header.setUint16(32, 4, true);
  header.setUint16(34, 32, true);
  text(36, "data");
  header.setUint32(40, samples.byteLength, true);
  return new Blob([header.buffer, samples.slice().buffer]);
}
