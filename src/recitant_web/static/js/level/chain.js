// The chain of what is chosen: its processors as tabs, the chosen one's picture and values, and how hard it works.

import { button, isTyping, make } from "../lib/dom.js";
import { signed } from "../lib/units.js";
import { chainOf, chosenIds, curveSpan, kindOf, nameOf, rounded, share, valueAt, valueOf, withCurve, withValue } from "./model.js";
import { curvePlot, gainOfY, hzOfX, moveNow, reductionPlot, spectrumPlot, staticPlot } from "./plots.js";

const WIDTH = 460;
const PLOT_HEIGHT = 164;
const WHEEL = 1.12;
const SCOPES = [["clip", "Clip"], ["track", "Track"], ["stem", "Stem"], ["master", "Master"]];
const STAGES = { repair: "repair", tone: "tone", dynamics: "dynamics", space: "space" };

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
  function draft(change) { model.draftOf = change; model.draft = change(chainOf(model)); actions.look(); }
  function keep(change = model.draftOf, options = {}) { if (change) actions.setChain(change, options); }
  function toValue(name, value) { const { index } = model; return (now) => withValue(model, now, index, name, value); }
  function toCurve(name, points) { const { index } = model; return (now) => withCurve(now, index, name, points); }
  function toReset() { const { index } = model; return (now) => now.map((p, i) => (i === index ? { kind: p.kind, ...(p.profile_db ? { profile_db: p.profile_db } : {}) } : p)); }
  function toRemoved() { const { index } = model; return (now) => now.filter((_, i) => i !== index); }
  // A value moved from what it is when its turn comes.
  function byStep(name, step) {
    const { index } = model;
    return (now) => (now[index] ? withValue(model, now, index, name, step(valueOf(model, now[index], name))) : now);
  }

  function show() {
    if (isTyping(box)) return;
    if (model.index >= chain().length) model.index = Math.max(0, chain().length - 1);
    showScope();
    showTabs();
    showFields();
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
    const name = make("h3", { textContent: nameOf(model) || "Nothing chosen" });
    const acts = { clip: "over the recording, before clip gain and fades", track: "over the whole track, before its fader", stem: "over the stem, after its fader and ducking", master: "over everything, before the fit" }[model.target.kind];
    parts.scope.replaceChildren(make("div", { className: "scope-line" }, name, pair), make("div", { className: "soft small", textContent: many > 1 ? `${acts} · changes go to ${many} chosen clips` : acts }));
  }

  function showTabs() {
    const tabs = chain().map((processor, index) => {
      const kind = kindOf(model, processor.kind);
      const tab = button("", () => { model.index = index; model.curve = null; actions.look(); show(); }, { className: "proc" });
      tab.append(make("small", { textContent: STAGES[kind.stage] }), make("span", { textContent: kind.label }));
      tab.ariaPressed = String(index === model.index);
      tab.classList.toggle("is-off", Boolean(processor.is_bypassed));
      return tab;
    });
    const add = make("select", { className: "proc-add" }, make("option", { value: "", textContent: "+ add" }));
    add.ariaLabel = "Add a processor";
    for (const stage of Object.keys(STAGES)) {
      add.append(make("optgroup", { label: stage }, ...model.page.kinds.filter((kind) => kind.stage === stage).map((kind) => make("option", { value: kind.kind, textContent: kind.label }))));
    }
    add.addEventListener("change", () => { if (add.value) actions.addProcessor(add.value); });
    parts.tabs.replaceChildren(...tabs, add);
  }

  function bandsOf(processor) {
    if (processor.kind === "high-pass" || processor.kind === "low-pass") return [{ number: 0, hz: valueOf(model, processor, "freq_hz"), db: -3, label: kindOf(model, processor.kind).label, words: `${valueOf(model, processor, "freq_hz")} Hz`, names: { hz: "freq_hz" } }];
    if (processor.kind === "de-esser") return [{ number: 0, hz: valueOf(model, processor, "freq_hz"), db: 0, label: "De-esser", words: `${valueOf(model, processor, "freq_hz")} Hz`, names: { hz: "freq_hz", q: "q" } }];
    if (processor.kind !== "equaliser") return [];
    const found = [];
    for (let i = 1; i <= 8; i += 1) {
      const shape = valueOf(model, processor, `band${i}_shape`);
      if (shape === "off") continue;
      const [hz, db] = [valueOf(model, processor, `band${i}_freq_hz`), valueOf(model, processor, `band${i}_gain_db`)];
      found.push({ number: i, hz, db: shape === "notch" ? -18 : db, label: `Band ${i}, ${shape}`, words: `${hz} Hz, ${signed(db)} dB`, names: { hz: `band${i}_freq_hz`, db: shape === "notch" ? null : `band${i}_gain_db`, q: `band${i}_q` } });
    }
    return found;
  }

  function bindBands(plot, processor) {
    const bands = bandsOf(processor);
    const inRange = (name, value) => {
      const parameter = kindOf(model, processor.kind).parameters.find((p) => p.name === name);
      return rounded(Math.min(parameter.most, Math.max(parameter.least, value)), parameter);
    };
    for (const handle of plot.querySelectorAll(".handle")) {
      const band = bands.find((one) => String(one.number) === handle.dataset.band);
      handle.addEventListener("pointerdown", (event) => {
        event.preventDefault();
        const box = plot.getBoundingClientRect();
        const move = (at) => {
          const toHz = toValue(band.names.hz, inRange(band.names.hz, hzOfX(at.clientX - box.left, box.width)));
          const toDb = band.names.db ? toValue(band.names.db, inRange(band.names.db, gainOfY(at.clientY - box.top, box.height))) : (now) => now;
          draft((now) => toDb(toHz(now)));
          showFields(); showPlot();
        };
        const up = () => { window.removeEventListener("pointermove", move); keep(); };
        window.addEventListener("pointermove", move);
        window.addEventListener("pointerup", up, { once: true });
      });
      handle.addEventListener("wheel", (event) => {
        if (!band.names.q) return;
        event.preventDefault();
        draft(toValue(band.names.q, inRange(band.names.q, valueOf(model, current(), band.names.q) * (event.deltaY < 0 ? WHEEL : 1 / WHEEL))));
        showFields();
        clearTimeout(handle.timer);
        handle.timer = setTimeout(() => keep(), 400);
      }, { passive: false });
      handle.addEventListener("keydown", (event) => {
        const by = { ArrowLeft: ["hz", 1 / 1.03], ArrowRight: ["hz", 1.03], ArrowUp: ["db", 0.5], ArrowDown: ["db", -0.5] }[event.key];
        if (!by || !band.names[by[0]]) return;
        event.preventDefault(); event.stopPropagation();
        const name = band.names[by[0]];
        keep(byStep(name, (value) => inRange(name, by[0] === "hz" ? value * by[1] : value + by[1])));
      });
    }
  }

  function showPlot() {
    const processor = current();
    const { view } = model;
    staticSvg = null;
    if (!processor) {
      parts.plot.replaceChildren(view ? spectrumPlot(WIDTH, 120, view, []) : make("p", { className: "soft" }));
      return;
    }
    const isTone = ["high-pass", "low-pass", "equaliser", "hum"].includes(processor.kind);
    const main = spectrumPlot(view && view.static ? WIDTH - 174 : WIDTH, PLOT_HEIGHT, view, isTone || processor.kind === "de-esser" ? bandsOf(processor) : []);
    const shown = [main];
    if (view && view.static) { staticSvg = staticPlot(PLOT_HEIGHT, view); shown.push(staticSvg); }
    parts.plot.replaceChildren(...shown);
    bindBands(main, processor);
  }

  function field(processor, parameter) {
    const value = valueOf(model, processor, parameter.name);
    const label = parameter.name.startsWith("band") ? parameter.label : parameter.label;
    if (parameter.choices.length) {
      const select = make("select", {}, ...parameter.choices.map((choice) => make("option", { value: choice, textContent: choice.replace("-", " "), selected: choice === value })));
      select.ariaLabel = label;
      select.addEventListener("change", () => keep(toValue(parameter.name, select.value)));
      return make("label", { className: "value" }, make("span", { className: "soft", textContent: label }), select);
    }
    const digits = Number.isInteger(value) ? 0 : value < 1 && parameter.is_log ? 2 : 1;
    const input = make("input", { type: "text", inputMode: "decimal", className: "mono", value: signed(value, digits) });
    input.ariaLabel = `${label}, ${parameter.unit}`;
    input.addEventListener("focus", () => input.select());
    input.addEventListener("change", () => keep(toValue(parameter.name, input.value.replace("−", "-").replace(",", "."))));
    input.addEventListener("keydown", (event) => {
      event.stopPropagation();
      if (event.key === "Enter") input.blur();
      const step = { ArrowUp: 1, ArrowDown: -1 }[event.key];
      if (!step) return;
      event.preventDefault();
      const by = (step * (event.shiftKey ? 1 : 4)) / 200;
      keep(byStep(parameter.name, (now) => rounded(valueAt(share(now, parameter) + by, parameter), parameter)));
    });
    const grip = make("span", { className: "soft grip-label", textContent: label, title: "Drag sideways" });
    grip.addEventListener("pointerdown", (event) => {
      event.preventDefault();
      const [from, first] = [event.clientX, share(value, parameter)];
      const move = (at) => {
        const next = rounded(valueAt(first + (at.clientX - from) / (at.shiftKey ? 1200 : 300), parameter), parameter);
        input.value = signed(next, digits);
        draft(toValue(parameter.name, next));
      };
      window.addEventListener("pointermove", move);
      window.addEventListener("pointerup", () => { window.removeEventListener("pointermove", move); keep(); }, { once: true });
    });
    const hasCurve = processor.curves && processor.curves[parameter.name];
    const curve = button("∿", () => { model.curve = model.curve === parameter.name ? null : parameter.name; showCurve(); }, { className: `quiet curve-button${hasCurve ? " is-on" : ""}`, title: hasCurve ? "It moves along a curve: open it" : "Move it along a curve" });
    curve.ariaLabel = `Curve of ${label}`;
    return make("div", { className: "value" }, grip, make("span", { className: "with-unit" }, input, make("small", { className: "soft", textContent: parameter.unit })), ...(parameter.may_move ? [curve] : []));
  }

  function showFields() {
    const processor = current();
    if (!processor) {
      parts.fields.replaceChildren(make("p", { className: "soft", textContent: "Nothing is done to it yet. Add a processor, or begin with a starting point made from what is measured here." }));
      return;
    }
    const kind = kindOf(model, processor.kind);
    let shown = kind.parameters;
    if (kind.kind === "equaliser") {
      const on = [1, 2, 3, 4, 5, 6, 7, 8].filter((i) => valueOf(model, processor, `band${i}_shape`) !== "off");
      const rows = on.map((i) => make("div", { className: "band-row" }, make("b", { className: "mono", textContent: String(i) }), ...kind.parameters.filter((p) => p.name.startsWith(`band${i}_`)).map((p) => field(processor, p))));
      const free = [1, 2, 3, 4, 5, 6, 7, 8].find((i) => !on.includes(i));
      const more = free ? button("+ band", () => keep(toValue(`band${free}_shape`, "bell")), { className: "quiet" }) : null;
      parts.fields.replaceChildren(...rows, ...(more ? [more] : []));
    } else {
      shown = kind.parameters;
      parts.fields.replaceChildren(make("div", { className: "value-grid" }, ...shown.map((p) => field(processor, p))));
    }
    showCurve();
  }

  function showCurve() {
    const processor = current();
    const parameter = processor && model.curve && kindOf(model, processor.kind).parameters.find((p) => p.name === model.curve);
    if (!parameter || !parameter.may_move) { parts.curve.replaceChildren(); return; }
    const span = curveSpan(model);
    const points = (processor.curves && processor.curves[parameter.name]) || [];
    const height = 84;
    const yOf = (value) => height - share(value, parameter) * height;
    const xOf = (at) => ((at - span.from) / (span.to - span.from)) * WIDTH;
    const plot = curvePlot(WIDTH, height, points, yOf, xOf);
    const pointAt = (event) => {
      const box = plot.getBoundingClientRect();
      const at = Math.round(span.from + Math.min(1, Math.max(0, (event.clientX - box.left) / box.width)) * (span.to - span.from));
      return [at, rounded(valueAt(1 - (event.clientY - box.top) / box.height, parameter), parameter)];
    };
    plot.addEventListener("dblclick", (event) => {
      const handle = event.target.closest("[data-point]");
      const next = handle ? points.filter((_, i) => i !== Number(handle.dataset.point)) : [...points, pointAt(event)];
      keep(toCurve(parameter.name, next));
    });
    for (const handle of plot.querySelectorAll("[data-point]")) {
      handle.addEventListener("pointerdown", (event) => {
        event.preventDefault();
        let next = null;
        const move = (at) => {
          const moved = pointAt(at);
          if (points.some((p, i) => i !== Number(handle.dataset.point) && p[0] === moved[0])) return;
          next = points.map((p, i) => (i === Number(handle.dataset.point) ? moved : p));
          const circle = handle.querySelector("circle");
          circle.setAttribute("cx", xOf(moved[0])); circle.setAttribute("cy", yOf(moved[1]));
        };
        window.addEventListener("pointermove", move);
        window.addEventListener("pointerup", () => { window.removeEventListener("pointermove", move); if (next) keep(toCurve(parameter.name, next)); }, { once: true });
      });
    }
    const seconds = (at) => ((at - span.from) / 48000).toFixed(2);
    const typed = points.map(([at, value], i) => {
      const time = make("input", { className: "mono", value: seconds(at) });
      const level = make("input", { className: "mono", value: signed(value) });
      time.ariaLabel = `Time of point ${i + 1}, seconds`; level.ariaLabel = `Value of point ${i + 1}, ${parameter.unit}`;
      const change = () => keep(toCurve(parameter.name, points.map((p, k) => (k === i ? [Math.round(span.from + Number(time.value.replace(",", ".")) * 48000), level.value.replace("−", "-").replace(",", ".")] : p))));
      time.addEventListener("change", change); level.addEventListener("change", change);
      return make("span", { className: "typed-point" }, time, make("small", { className: "soft", textContent: "s" }), level, make("small", { className: "soft", textContent: parameter.unit }));
    });
    parts.curve.replaceChildren(make("div", { className: "soft small", textContent: `${parameter.label} over time: double click adds a point, on a point it removes it.` }), plot,
      make("div", { className: "typed" }, ...typed, button("+ point here", () => keep(toCurve(parameter.name, [...points, [actions.placeOnCurve(span), valueOf(model, processor, parameter.name)]])), { className: "quiet" }),
        ...(points.length ? [button("no curve", () => keep(toCurve(parameter.name, [])), { className: "quiet" })] : [])));
  }

  function showView() {
    showPlot();
    const { view } = model;
    reductionSvg = null;
    if (view && view.reduction) {
      reductionSvg = reductionPlot(WIDTH, 58, view.reduction);
      parts.reduction.replaceChildren(make("div", { className: "soft small split" }, make("span", { textContent: view.whole ? "whole programme; dashed 6 dB" : "gain reduction; dashed 6 dB" }), make("b", { textContent: view.effort || "" })), reductionSvg);
    } else parts.reduction.replaceChildren(...(view && view.effort ? [make("div", { className: "soft small", textContent: view.effort })] : []));
    if (view && view.figures) {
      const figure = (f) => make("div", {}, make("span", { className: "soft", textContent: `${f.label}, ${f.unit}` }), make("b", { className: "mono", textContent: f.name.startsWith("band") ? signed(f.after) : `${f.before === null ? "–" : signed(f.before)} → ${f.after === null ? "–" : signed(f.after)}` }));
      parts.figures.replaceChildren(...view.figures.map(figure));
    } else parts.figures.replaceChildren();
    parts.words.replaceChildren(...((view && view.order) || []).map((words) => make("p", { className: "note plain", textContent: words })));
  }

  function showTools() {
    const processor = current();
    const row = make("div", { className: "acts" });
    if (processor) {
      const toggle = button(processor.is_bypassed ? "back in" : "bypass", () => actions.bypass(), { className: "act", title: "Key b" });
      const taken = button("hear what is taken away", () => hear.toggleTaken(), { className: "act" });
      taken.ariaPressed = String(hear.how() === "taken");
      row.append(toggle, taken,
        button("←", () => actions.moveProcessor(-1), { className: "act", title: "Earlier in the chain", ariaLabel: "Earlier in the chain" }),
        button("→", () => actions.moveProcessor(1), { className: "act", title: "Later in the chain", ariaLabel: "Later in the chain" }),
        button("reset", () => keep(toReset()), { className: "act" }),
        button("remove", () => keep(toRemoved()), { className: "act" }));
      if (processor.kind === "noise") row.append(button("learn from the pauses", () => actions.find("noise"), { className: "act go" }), button("learn from this place", () => actions.find("noise", { isHere: true }), { className: "act", title: "Half a second to either side of the playhead" }));
      if (processor.kind === "hum") row.append(button("find the hum", () => actions.find("hum"), { className: "act go" }));
      if (processor.kind === "equaliser") row.append(button("find the resonance", () => actions.find("resonances"), { className: "act go" }));
      if (model.target.kind === "track" && ["compressor", "gate", "expander"].includes(processor.kind)) row.append(button("whole programme", () => actions.wholeReduction(), { className: "act" }));
    }
    const more = make("div", { className: "acts" });
    const start = make("select", { className: "plain-select" }, make("option", { value: "", textContent: "Starting point…" }), ...model.page.starting_points.map((one) => make("option", { value: one.name, textContent: one.words })));
    start.ariaLabel = "Starting point";
    start.addEventListener("change", () => { if (start.value) actions.find("start", { name: start.value }); });
    const preset = make("select", { className: "plain-select" }, make("option", { value: "", textContent: "Preset…" }), ...model.state.presets.map((one) => make("option", { value: one.id, textContent: one.name })));
    preset.ariaLabel = "Preset";
    preset.addEventListener("change", () => { if (preset.value) actions.usePreset(Number(preset.value)); });
    more.append(start, preset,
      button("keep as preset…", () => actions.keepPreset(), { className: "quiet", disabled: !chain().length }),
      button("copy", () => { model.clipboard = chain(); actions.said("The chain is copied."); show(); }, { className: "quiet", disabled: !chain().length }),
      button("paste", () => { const pasted = model.clipboard; keep(() => pasted); }, { className: "quiet", disabled: !model.clipboard }),
      button("to the same speaker", () => actions.spread("speaker"), { className: "quiet", disabled: model.target.kind !== "clip" || !chain().length, title: "Put this chain on every clip of this speaker" }),
      button("to its group", () => actions.spread("group"), { className: "quiet", disabled: model.target.kind !== "clip" || !chain().length, title: "Put this chain on every clip of its group" }));
    parts.tools.replaceChildren(row, more);
  }

  function follow(reading, sample) {
    const part = model.view ? (sample - (model.view.from_sample || 0)) / model.view.length_samples : -1;
    if (staticSvg && model.view.level_in) {
      const levels = model.view.level_in;
      moveNow(staticSvg, model.view, reading && part >= 0 && part < 1 ? levels[Math.floor(part * levels.length)] : -99);
    }
    if (reductionSvg && model.view) {
      const head = reductionSvg.querySelector(".head");
      head.setAttribute("x1", part * WIDTH); head.setAttribute("x2", part * WIDTH);
    }
  }

  return { show, showView, follow, current };
}
