// The chain of what is chosen: its processors as tabs, the chosen one's picture and values, and how hard it works.

import { button, make } from "../lib/dom.js";
import { RATE_HZ, signed } from "../lib/units.js";
import {
  chainOf,
  chosenIds,
  dropOthersView,
  nameOf,
  rowOf,
  takesBeside,
  valueOf,
  withCurve,
  withValue,
} from "./model.js";
import { bandsOf, bindBands } from "./bands.js";
import { showCurve } from "./curve.js";
import { askReplace } from "./replace.js";
import { showTabs } from "./tabs.js";
import { moveCurves, moveNow, reductionPlot, spectrumPlot, staticPlot } from "./plots.js";
import { showFields } from "./values.js";
import { isTyping } from "../lib/typing.js";

const WIDTH = 460;
const PLOT_HEIGHT = 164;
const SCOPES = [
  ["clip", "Clip"],
  ["track", "Track"],
  ["stem", "Stem"],
  ["master", "Master"],
];

export function newChain({ box, model, actions, hear }) {
  const parts = {};
  for (const name of ["scope", "tabs", "plot", "fields", "curve", "reduction", "figures", "words", "tools"]) {
    parts[name] = make("div", { className: `chain-${name}` });
    box.append(parts[name]);
  }
  let staticSvg = null;
  let reductionSvg = null;

  const chain = () => model.draft || chainOf(model);
  const current = () => chain()[model.index] || null;

  // Changes are functions from the chain that stands there to the one that is wanted: presses while an answer is under way
  // then add up instead of replacing each other.
  function draft(change) {
    model.draftOf = change;
    model.draft = change(chainOf(model));
    actions.look();
  }
  function keep(change = model.draftOf, options = {}) {
    if (change) actions.setChain(change, options);
  }
  function toValue(name, value) {
    const { index } = model;
    return (now) => withValue(model, now, index, name, value);
  }
  function toCurve(name, points) {
    const { index } = model;
    return (now) => withCurve(now, index, name, points);
  }
  function toReset() {
    const { index } = model;
    return (now) =>
      now.map((p, i) => (i === index ? { kind: p.kind, ...(p.profile_db ? { profile_db: p.profile_db } : {}) } : p));
  }
  function toRemoved() {
    const { index } = model;
    return (now) => now.filter((_, i) => i !== index);
  }
  // A value moved from what it is when its turn comes.
  function byStep(name, step) {
    const { index } = model;
    return (now) => (now[index] ? withValue(model, now, index, name, step(valueOf(model, now[index], name))) : now);
  }

  function show() {
    if (isTyping(box)) return;
    if (model.index >= chain().length) model.index = Math.max(0, chain().length - 1);
    showScope();
    showChain();
    context.showFields();
    showTools();
    showView();
  }

  function showScope() {
    const pair = make("div", { className: "pair small-pair", role: "group" });
    pair.ariaLabel = "Whose processors";
    for (const [kind, label] of SCOPES) {
      const one = button(label, () => actions.aimAt(kind), {});
      one.ariaPressed = String(model.target.kind === kind);
      pair.append(one);
    }
    const many = model.target.kind === "clip" ? chosenIds(model).length : 1;
    const name = make("h2", { textContent: nameOf(model) || "Nothing chosen" });
    const acts = {
      clip: "over the recording, before clip gain and fades",
      track: "over the whole track, before its fader",
      stem: "over the stem, after its fader and ducking",
      master: "over everything, before the fit",
    }[model.target.kind];
    parts.scope.replaceChildren(
      make("div", { className: "scope-line" }, name, pair),
      make("div", {
        className: "soft small",
        textContent: many > 1 ? `${acts} · changes go to ${many} chosen clips` : acts,
      }),
    );
  }

  function showChain() {
    showTabs(parts.tabs, {
      model,
      chain: chain(),
      choose: (index) => {
        model.index = index;
        model.curve = null;
        actions.look();
        show();
      },
      move: actions.moveTo,
      add: actions.addProcessor,
    });
  }

  const context = { model, actions, hear, chain, current, draft, keep, toValue, toCurve, byStep, showPlot };
  context.showCurve = () => showCurve(parts.curve, context);
  context.showFields = () => showFields(parts.fields, context);

  function showPlot() {
    dropOthersView(model);
    const processor = current();
    const { view } = model;
    staticSvg = null;
    if (!processor) {
      parts.plot.replaceChildren(view ? spectrumPlot(WIDTH, 120, view, []) : make("p", { className: "soft" }));
      return;
    }
    const isTone = ["high-pass", "low-pass", "equaliser", "hum"].includes(processor.kind);
    const main = spectrumPlot(
      view && view.static ? WIDTH - 174 : WIDTH,
      PLOT_HEIGHT,
      view,
      isTone || processor.kind === "de-esser" ? bandsOf(model, processor) : [],
    );
    const shown = [main];
    if (view && view.static) {
      staticSvg = staticPlot(PLOT_HEIGHT, view);
      shown.push(staticSvg);
    }
    parts.plot.replaceChildren(...shown);
    bindBands(main, processor, context);
  }

  function showCurves() {
    if (!moveCurves(parts.plot, model.view)) showPlot();
  }

  function showView() {
    showPlot();
    const { view } = model;
    reductionSvg = null;
    if (view && view.reduction) {
      reductionSvg = reductionPlot(WIDTH, 58, view.reduction);
      parts.reduction.replaceChildren(
        make(
          "div",
          { className: "soft small split" },
          make("span", { textContent: view.whole ? "whole programme; dashed 6 dB" : "gain reduction; dashed 6 dB" }),
          make("b", { textContent: view.effort || "" }),
        ),
        reductionSvg,
      );
    } else
      parts.reduction.replaceChildren(
        ...(view && view.effort ? [make("div", { className: "soft small", textContent: view.effort })] : []),
      );
    if (view && view.figures) {
      const figure = (f) =>
        make(
          "div",
          {},
          make("span", { className: "soft", textContent: `${f.label}, ${f.unit}` }),
          make("b", {
            className: "mono",
            textContent: f.name.startsWith("band")
              ? signed(f.after)
              : `${f.before === null ? "–" : signed(f.before)} → ${f.after === null ? "–" : signed(f.after)}`,
          }),
        );
      parts.figures.replaceChildren(...view.figures.map(figure));
    } else parts.figures.replaceChildren();
    parts.words.replaceChildren(
      ...((view && view.order) || []).map((words) => make("p", { className: "note plain", textContent: words })),
    );
  }

  function learnMarked() {
    if (!model.marked) return [];
    const seconds = ((model.marked[1] - model.marked[0]) / RATE_HZ).toFixed(2);
    return [
      button(`learn from the marked ${seconds} s`, () => actions.find("noise", { isMarked: true }), {
        className: "act",
      }),
    ];
  }

  function showTools() {
    const processor = current();
    const row = make("div", { className: "acts" });
    if (processor) {
      const toggle = button(processor.is_bypassed ? "back in" : "bypass", () => actions.bypass(), {
        className: "act",
        title: "Key b",
      });
      const taken = button("hear what is taken away", () => hear.toggleTaken(), { className: "act" });
      taken.ariaPressed = String(hear.how() === "taken");
      row.append(
        toggle,
        taken,
        button("←", () => actions.moveProcessor(-1), {
          className: "act",
          title: "Earlier in the chain",
          ariaLabel: "Earlier in the chain",
        }),
        button("→", () => actions.moveProcessor(1), {
          className: "act",
          title: "Later in the chain",
          ariaLabel: "Later in the chain",
        }),
        button("reset", () => keep(toReset()), { className: "act" }),
        button(
          "remove",
          () => {
            model.curve = null; // its curve's panel goes with it
            keep(toRemoved());
          },
          { className: "act" },
        ),
      );
      if (processor.kind === "noise")
        row.append(
          button("learn from the pauses", () => actions.find("noise"), { className: "act go" }),
          button("learn from this place", () => actions.find("noise", { isHere: true }), {
            className: "act",
            title: "Half a second to either side of the playhead",
          }),
          ...learnMarked(),
        );
      if (processor.kind === "less-room")
        row.append(button("measure the room", () => actions.find("less-room"), { className: "act go" }));
      if (processor.kind === "hum")
        row.append(button("find the hum", () => actions.find("hum"), { className: "act go" }));
      if (processor.kind === "equaliser")
        row.append(button("find the resonance", () => actions.find("resonances"), { className: "act go" }));
      if (model.target.kind === "track" && ["compressor", "gate", "expander"].includes(processor.kind))
        row.append(button("whole programme", () => actions.wholeReduction(), { className: "act" }));
    }
    const more = make("div", { className: "acts" });
    const start = make(
      "select",
      { className: "plain-select" },
      make("option", { value: "", textContent: "Starting point…" }),
      ...model.page.starting_points.map((one) => make("option", { value: one.name, textContent: one.words })),
    );
    start.ariaLabel = "Starting point";
    start.addEventListener("change", () => {
      if (start.value) actions.find("start", { name: start.value });
    });
    const preset = make(
      "select",
      { className: "plain-select" },
      make("option", { value: "", textContent: "Preset…" }),
      ...model.state.presets.map((one) => make("option", { value: one.id, textContent: one.name })),
    );
    preset.ariaLabel = "Preset";
    preset.addEventListener("change", () => {
      if (preset.value) actions.usePreset(Number(preset.value));
    });
    more.append(
      start,
      preset,
      toneSelect(),
      button("keep as preset…", () => actions.keepPreset(), { className: "quiet", disabled: !chain().length }),
      button(
        "copy",
        () => {
          model.clipboard = chain();
          actions.said("The chain is copied.");
          show();
        },
        { className: "quiet", disabled: !chain().length },
      ),
      button(
        "paste",
        async () => {
          const pasted = model.clipboard;
          const how = await askReplace(chain(), "the copied chain");
          if (how) keep((now) => (how === "behind" ? [...now, ...pasted] : pasted));
        },
        { className: "quiet", disabled: !model.clipboard },
      ),
      button("to the same speaker", () => actions.spread("speaker"), {
        className: "quiet",
        disabled: model.target.kind !== "clip" || !chain().length,
        title: "Put this chain on every clip of this speaker",
      }),
      button("to its group", () => actions.spread("group"), {
        className: "quiet",
        disabled: model.target.kind !== "clip" || !chain().length,
        title: "Put this chain on every clip of its group",
      }),
    );
    parts.tools.replaceChildren(row, more);
  }

  // The take in hand against others of the same speaker.
  function toneSelect() {
    const row = model.target.kind === "clip" ? rowOf(model, model.target.id) : null;
    const others = row ? takesBeside(model, row).filter((one) => one.id !== row.id) : [];
    const select = make(
      "select",
      { className: "plain-select", disabled: !others.length },
      make("option", { value: "", textContent: "Match tone…" }),
      make("option", { value: "middle", textContent: "to the middle of the speaker's takes" }),
      make("option", { value: "all", textContent: "all takes of the speaker to their middle" }),
      ...others.map((one) => make("option", { value: one.id, textContent: `to ${one.name}` })),
    );
    select.ariaLabel = "Match tone";
    select.title = row && !others.length ? "There is no other take of this speaker" : "";
    select.addEventListener("change", () => {
      const isNamed = !["", "middle", "all"].includes(select.value);
      if (select.value) actions.matchTone(isNamed ? select.value : "", { isWhole: select.value === "all" });
      select.value = "";
    });
    return select;
  }

  function follow(reading, sample) {
    const part = model.view ? (sample - (model.view.from_sample || 0)) / model.view.length_samples : -1;
    if (staticSvg && model.view.level_in) {
      const levels = model.view.level_in;
      moveNow(staticSvg, model.view, reading && part >= 0 && part < 1 ? levels[Math.floor(part * levels.length)] : -99);
    }
    if (reductionSvg && model.view) {
      const head = reductionSvg.querySelector(".head");
      head.setAttribute("x1", part * WIDTH);
      head.setAttribute("x2", part * WIDTH);
    }
  }

  return { show, showView, showCurves, follow, current };
}
