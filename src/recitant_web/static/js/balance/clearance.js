// Close passages with their cures, the figures of speech, and the list of speech in a clip: all as text with controls.

import { button, make } from "../lib/dom.js";
import { isSpeech, labelOf } from "../lib/roles.js";
import { RATE_HZ, clock, signed } from "../lib/units.js";
import { passageAt, selectedClip } from "./model.js";

const ACCEPT = { code: "accept", target_id: "0", by_db: 0 };

export function showNote(model, position, { cure, goToPassage, nextPassage }) {
  const box = document.getElementById("close-note");
  const { clearance } = model.state;
  const passage = passageAt(model, position);
  const key = passage
    ? `${passage.start_sample} ${model.state.revision} ${clearance.passages.length} ${clearance.is_exact}`
    : `none ${clearance.has_speech} ${clearance.is_listening}`;
  if (box.dataset.key === key) return;
  box.dataset.key = key;
  if (!passage) {
    const words = clearance.is_listening
      ? "Still listening for speech."
      : !clearance.has_speech
        ? "No speech was found on the dialogue tracks, so there is nothing to stay clear of. Mark it on the dialogue stave where there is some."
        : `Speech stands ${clearance.asked_lu} LU clear of the rest everywhere.`;
    box.className = clearance.has_speech ? "note good" : "note plain";
    box.replaceChildren(make("p", { className: "mb-0", textContent: words }));
    return;
  }
  box.className = "note";
  const cures = passage.cures.map((one, index) =>
    button(one.words, () => cure(passage, one), {
      className: index === 0 ? "act go" : "act",
      title: one.cures ? "Probably enough by itself" : "Helps, but will not be enough by itself",
    }),
  );
  const n = clearance.passages.length;
  box.replaceChildren(
    make("b", { textContent: passage.title }),
    make(
      "div",
      { className: "soft mono small" },
      `${clock(passage.start_sample)} · ${clearance.is_exact ? "measured" : "estimated"}`,
    ),
    make("p", { textContent: passage.sentence }),
    make("div", { className: "acts" }, ...cures),
    make(
      "div",
      { className: "acts" },
      button("Go to it", () => goToPassage(passage), { className: "quiet" }),
      button("Accept it", () => cure(passage, ACCEPT), {
        className: "quiet",
        title: "Close on purpose: it is remembered with the recording",
      }),
      n > 1 ? button("Next (n)", () => nextPassage(1), { className: "quiet" }) : null,
      n > 1
        ? button(
            `Show all ${n}`,
            () => {
              document.getElementById("close-list").open = true;
            },
            { className: "quiet" },
          )
        : null,
    ),
  );
}

let listed = null; // the clearance that the list was built of

export function showCloseList(model, { cure, unaccept, goToPassage }) {
  const { passages, accepted } = model.state.clearance;
  const details = document.getElementById("close-list");
  details.hidden = !passages.length && !accepted.length;
  const onPurpose = accepted.length ? `, ${accepted.length} close on purpose` : "";
  details.querySelector("summary").textContent = `Close passages (${passages.length}${onPurpose})`;
  // Its rows are built while it is open.
  if (!details.open || listed === model.state.clearance) return;
  listed = model.state.clearance;
  details.querySelector("tbody").replaceChildren(
    ...passages.map((passage) =>
      make(
        "tr",
        {},
        make(
          "td",
          { className: "mono" },
          button(clock(passage.start_sample), () => goToPassage(passage), { className: "quiet" }),
        ),
        make("td", { className: "n mono over", textContent: signed(passage.least_lu) }),
        make(
          "td",
          { className: "wrap" },
          passage.title.replace(/ of speech/, ""),
          ...passage.cures
            .slice(0, 1)
            .map((one) => button(one.words, () => cure(passage, one), { className: "quiet as-link" })),
        ),
      ),
    ),
    ...accepted.map((passage) =>
      make(
        "tr",
        { className: "soft" },
        make(
          "td",
          { className: "mono" },
          button(clock(passage.start_sample), () => goToPassage(passage), { className: "quiet" }),
        ),
        make("td", { className: "n mono", textContent: signed(passage.least_lu) }),
        make(
          "td",
          { className: "wrap" },
          "close on purpose",
          button("Count it again", () => unaccept(passage), { className: "quiet as-link" }),
        ),
      ),
    ),
  );
}

export function showFigures(model, ask) {
  const { clearance } = model.state;
  const asked = document.getElementById("asked-lu");
  const least = document.getElementById("least-s");
  if (document.activeElement !== asked) asked.value = signed(clearance.asked_lu);
  if (document.activeElement !== least) least.value = signed(clearance.least_s);
  document.getElementById("strict").checked = clearance.asked_lu === clearance.strict_lu;
  asked.onchange = () => ask(asked.value, least.value);
  least.onchange = () => ask(asked.value, least.value);
  document.getElementById("strict").onchange = (event) =>
    ask(event.target.checked ? clearance.strict_lu : clearance.usual_lu, least.value);
  document.getElementById("speech-words").textContent = clearance.has_speech
    ? `Speech for ${Math.round(100 * clearance.speech_share)} % of the time, at ${signed(clearance.dialogue_lufs)} LUFS${clearance.is_exact ? "" : " (estimated)"}.`
    : "No speech is known yet.";
  document
    .getElementById("stem-figures")
    .replaceChildren(
      ...clearance.stems.map((stem) =>
        make(
          "tr",
          {},
          make("td", { textContent: labelOf(stem.role).toLowerCase() }),
          make("td", { className: "n mono", textContent: signed(stem.in_speech_lufs) }),
          make("td", { className: "n mono", textContent: signed(stem.outside_lufs) }),
        ),
      ),
    );
}

// Speech in the chosen clip, so that it can be corrected without a pointer. Times in seconds of the programme.
export function showSpeech(model, position, mark) {
  const details = document.getElementById("speech-list");
  const clip = selectedClip(model);
  details.hidden = !clip || !isSpeech(clip.role);
  if (details.hidden || (details.contains(document.activeElement) && document.activeElement.matches("input"))) return;
  const spans = model.state.speech.find((row) => row.id === clip.id)?.spans || [];
  details.querySelector("summary").textContent = `Speech in ${clip.name} (${spans.length})`;
  const seconds = (text) => Math.round(Number(String(text).replace(",", ".")) * RATE_HZ);
  const field = (value, name, onValue) => {
    const input = make("input", {
      className: "gain mono",
      type: "text",
      inputMode: "decimal",
      value: (value / RATE_HZ).toFixed(2),
    });
    input.setAttribute("aria-label", name);
    input.addEventListener("change", () => onValue(seconds(input.value)));
    return input;
  };
  // An edge that moves out is marked as speech, one that moves in leaves what it passed as none.
  const rows = spans.map(([start, length]) =>
    make(
      "tr",
      {},
      make(
        "td",
        {},
        field(start, "Speech from, seconds", (at) => moveEdge(mark, clip, "from", start, at)),
      ),
      make(
        "td",
        {},
        field(start + length, "Speech to, seconds", (at) => moveEdge(mark, clip, "to", start + length, at)),
      ),
      make(
        "td",
        {},
        button("no speech", () => mark(clip.id, start, start + length, false), { className: "quiet" }),
      ),
    ),
  );
  const add = button("Mark a second from the playhead", () => mark(clip.id, position(), position() + RATE_HZ, true), {
    className: "quiet",
  });
  details
    .querySelector("tbody")
    .replaceChildren(...rows, make("tr", {}, Object.assign(make("td", {}, add), { colSpan: 3 })));
}

export function moveEdge(mark, clip, side, was, now) {
  if (!Number.isFinite(now) || now === was) return;
  const isLonger = side === "from" ? now < was : now > was;
  mark(clip.id, Math.min(was, now), Math.max(was, now), isLonger);
}
