// The level path: every gain between a recording and the output at the playhead, and why nothing is heard.

import { button, make } from "../lib/dom.js";
import { gainText, signed } from "../lib/units.js";
import { selectedClip, staveOf } from "./model.js";
import { gainInput } from "../lib/fields.js";
import { kindOf } from "../lib/roles.js";

const GAINS = { "clip-gain": "clip", "track-fader": "track", "stem-fader": "stem" };
const MOST_BAR_DB = 24;

export function newLevelPath({ api, url, model, setGain, hear, position, goTo, showDuck }) {
  let shown = null; // { clipId, path }
  let asked = 0;
  let lastKey = "";

  async function load() {
    const clip = selectedClip(model);
    if (!clip) {
      shown = null;
      show();
      return;
    }
    asked += 1;
    const mine = asked;
    try {
      const path = await api.get(`${url}?clip=${clip.id}&at=${Math.round(position())}&hear=${hear()}`);
      if (mine !== asked) return;
      shown = { clipId: clip.id, path };
    } catch {
      shown = null;
    }
    show();
  }

  // Asked for again when the clip, the mix or the playhead (by a tenth of a second) is another.
  function follow() {
    const clip = selectedClip(model);
    const key = clip
      ? `${clip.id} ${model.state.revision} ${Math.round(position() / 4800)} ${hear()} ${model.state.fit.is_exact}`
      : "";
    if (key !== lastKey) {
      lastKey = key;
      load();
    }
  }

  function show() {
    const box = document.getElementById("path");
    const of = document.getElementById("path-of");
    const clip = selectedClip(model);
    if (box.contains(document.activeElement) && document.activeElement.matches("input")) return;
    if (!clip) {
      of.textContent = "Choose a clip on its stave.";
      box.replaceChildren();
      return;
    }
    const stave = staveOf(model, clip.role);
    const track = stave.tracks.find((t) => t.id === clip.track_id);
    const path = shown && shown.clipId === clip.id ? shown.path : null;
    const isInside = position() >= clip.start_sample && position() < clip.start_sample + clip.length_samples;
    of.textContent = isInside ? `${clip.name}, at the playhead, LUFS` : `${clip.name}, all of it, LUFS`;
    const rows = [];
    const row = (name, value, css = "", bar = null) =>
      rows.push(
        make("div", { className: css }, name instanceof Node ? name : make("span", { textContent: name }), bar, value),
      );
    const typed = (target, name, valueDb, id) => {
      const input = gainInput(
        `${name} of ${target === "stem" ? stave.name : target === "track" ? track.name : clip.name}`,
        valueDb,
        (text) => setGain(target, id, text),
      );
      input.dataset.path = target;
      return input;
    };
    const gains = {
      clip: ["clip gain", clip.gain_db, clip.id],
      track: ["track fader", track.gain_db, track.id],
      stem: ["stem fader", stave.gain_db, stave.role],
    };
    if (!isInside || !path) {
      if (!isInside)
        rows.push(
          make(
            "div",
            { className: "why" },
            make("span", { textContent: "The playhead is elsewhere." }),
            button("Go to it", () => goTo(clip.start_sample + clip.length_samples / 2), { className: "quiet" }),
          ),
        );
      row("as recorded", make("span", { textContent: signed(clip.recorded_lufs) }));
      for (const [target, [name, db, id]] of Object.entries(gains)) row(name, typed(target, name, db, id));
      row("in the mix, before giving way", make("span", { textContent: signed(clip.in_mix_lufs) }), "sum");
      if (clip.in_mix_lufs !== null)
        rows.push(
          make("span", { className: "soft", textContent: missText(clip.in_mix_lufs - stave.aim_lufs, stave.aim_lufs) }),
        );
    } else {
      const isMuted = model.muted.has(clip.role) || (model.only.size > 0 && !model.only.has(clip.role));
      if (isMuted)
        rows.push(
          make("div", {
            className: "why over",
            textContent: "▲ Its stem is muted in what you hear; the mix keeps it.",
          }),
        );
      if (path.silent) rows.push(make("div", { className: "why over", textContent: `▲ ${path.silent}` }));
      row("as recorded", make("span", { textContent: signed(path.recorded_lufs) }));
      for (const line of path.lines) {
        const target = GAINS[line.code];
        const gain = target
          ? typed(target, gains[target][0], gains[target][1], gains[target][2])
          : make("span", { textContent: line.gain_db === null ? "–" : gainText(line.gain_db) });
        row(linkOf(line), gain, "", barOf(line.gain_db, clip.role));
      }
      row(
        hear() === "handed-over" ? "handed over" : "in the mix",
        make("span", { textContent: signed(path.output_lufs) }),
        "sum",
      );
    }
    box.replaceChildren(...rows);
  }

  function linkOf(line) {
    if (line.code.endsWith("-duck") || line.code.endsWith("-room"))
      return button(line.name, showDuck, { className: "quiet as-link" });
    const pages = {
      fade: "arrange",
      curve: "arrange",
      routing: "arrange",
      repair: "arrange",
      edges: "arrange",
      "master-gain": "hand-over",
      limiter: "hand-over",
    };
    const page = pages[line.code];
    return page
      ? make("a", { href: document.querySelector(`[data-step="${page}"]`)?.href || "#", textContent: line.name })
      : make("span", { textContent: line.name });
  }

  return { follow, show };
}

function barOf(gainDb, role) {
  const bar = make("i", { className: `gain-bar ${kindOf(role)}` });
  const share = Math.min(1, Math.abs(gainDb || 0) / MOST_BAR_DB) * 50;
  bar.style.setProperty("--from", `${gainDb < 0 ? 50 - share : 50}%`);
  bar.style.setProperty("--wide", `${share}%`);
  return bar;
}

function missText(miss, aim) {
  const where = Math.abs(miss) < 0.05 ? "at" : `${signed(Math.abs(miss))} LU ${miss > 0 ? "over" : "under"}`;
  return `${where} its aim of ${signed(aim)}`;
}
