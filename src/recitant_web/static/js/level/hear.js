// What is heard beside the mix as it is: untreated, without one processor, what is taken away, the page undone, versions.
// Matched in loudness by the server; blind where asked.

import { button, make } from "../lib/dom.js";

// draftName(chain): a promise of the name that a chain being tried is kept under.
export function newHear({ box, model, draftName, refresh, position, loop }) {
  let how = ""; // what it is compared with
  let isOther = false; // which of both is heard
  let isBlind = false;
  let isTurned = false; // blind: which of X and Y is which
  let ridden = null;
  let isMono = false;

  async function instead() {
    const where = {
      target: model.target.kind,
      id: model.target.id,
      index: model.index,
      at_sample: Math.round(position()),
    };
    if (ridden) return { how: "ridden", ...ridden };
    if (how === "taken") return { how, ...where };
    if (how.startsWith("band:")) return { how: "band", band: how.slice(5), ...where };
    if (model.draft) return { how: "draft", ...where, draft: await draftName(model.draft) };
    if (!isOther || !how) return null;
    if (how.startsWith("version:"))
      return { how: "version", version_id: Number(how.slice(8)), at_sample: where.at_sample };
    return { how, ...where };
  }

  async function parameters() {
    const found = await instead();
    return { ...(found ? { instead: JSON.stringify(found) } : {}), ...(isMono ? { mono: 1 } : {}) };
  }

  // Whether there is another one to turn to; what is taken away and a band alone are heard at once.
  const isCompared = () => Boolean(how) && how !== "taken" && !how.startsWith("band:");

  function set(next) {
    how = next;
    isOther = false;
    isTurned = Math.random() < 0.5;
    show();
    refresh();
  }
  function turn(other) {
    isOther = other;
    show();
    refresh();
  }

  function show() {
    const select = make(
      "select",
      { className: "plain-select" },
      ...[
        ["", "compare with…"],
        ["untreated", "without this chain"],
        ["bypass", "without this processor"],
        ["page", "without this page's work"],
        ...model.state.versions.map((v) => [`version:${v.id}`, `version “${v.name}”`]),
      ].map(([value, textContent]) => make("option", { value, textContent, selected: value === how })),
    );
    select.ariaLabel = "Compare with";
    select.addEventListener("change", () => set(select.value));
    const names = isBlind ? (isTurned ? ["Y", "X"] : ["X", "Y"]) : ["As it is", "Other"];
    const pair = make("div", { className: "pair", role: "group" });
    pair.ariaLabel = "What is heard";
    const both = [
      [false, names[0]],
      [true, names[1]],
    ].map(([other, name]) => {
      const one = button(name, () => turn(other), { disabled: !isCompared() });
      one.ariaPressed = String(isOther === other);
      return one;
    });
    if (isBlind && isTurned) both.reverse();
    pair.append(...both);
    const blind = make("input", { type: "checkbox", checked: isBlind, disabled: !isCompared() });
    blind.addEventListener("change", () => {
      isBlind = blind.checked;
      isTurned = Math.random() < 0.5;
      isOther = Math.random() < 0.5;
      show();
      refresh();
    });
    const mono = button(
      "mono",
      () => {
        isMono = !isMono;
        show();
        refresh();
      },
      { className: "toggle", title: "Hear both sides added up" },
    );
    mono.ariaPressed = String(isMono);
    const again = button(
      "loop",
      () => {
        loop.isOn = !loop.isOn;
        show();
      },
      { className: "toggle", title: "Play the clip in focus over and over, to sweep by ear" },
    );
    again.ariaPressed = String(loop.isOn);
    const alone = how.startsWith("band:") ? `hearing the ${how.slice(5)} band alone` : "";
    const note = alone || (how === "taken" ? "hearing what is taken away" : how ? "matched in loudness · key t" : "");
    box.replaceChildren(
      again,
      mono,
      select,
      pair,
      make("label", { className: "tick" }, blind, make("span", { textContent: "blind" })),
      make("small", { className: "soft", textContent: note }),
    );
  }

  return {
    show,
    parameters,
    how: () => how,
    toggle: () => {
      if (isCompared()) turn(!isOther);
    },
    toggleTaken: () => set(how === "taken" ? "" : "taken"),
    toggleBand: (band) => set(how === `band:${band}` ? "" : `band:${band}`),
    ride: (found) => {
      ridden = found;
    },
  };
}
