// The values of the chosen processor: typed, dragged by their names, by keys, or from a list.

import { button, make } from "../lib/dom.js";
import { numberOf } from "../lib/fields.js";
import { signed } from "../lib/units.js";
import { kindOf, rounded, share, valueAt, valueOf } from "./model.js";

const BANDS = ["low", "middle", "high"];

function field(processor, parameter, context) {
  const { model, draft, keep, toValue, byStep, showCurve } = context;
  const value = valueOf(model, processor, parameter.name);
  const label = parameter.name.startsWith("band") ? parameter.label : parameter.label;
  if (parameter.choices.length) {
    const select = make(
      "select",
      {},
      ...parameter.choices.map((choice) =>
        make("option", { value: choice, textContent: choice.replace("-", " "), selected: choice === value }),
      ),
    );
    select.ariaLabel = label;
    select.addEventListener("change", () => keep(toValue(parameter.name, select.value)));
    return make("label", { className: "value" }, make("span", { className: "soft", textContent: label }), select);
  }
  const digits = Number.isInteger(value) ? 0 : value < 1 && parameter.is_log ? 2 : 1;
  const input = make("input", { type: "text", inputMode: "decimal", className: "mono", value: signed(value, digits) });
  input.ariaLabel = `${label}, ${parameter.unit}`;
  input.addEventListener("focus", () => input.select());
  const refused = make("small", { className: "over", hidden: true });
  refused.setAttribute("role", "alert");
  input.addEventListener("change", () => {
    const wanted = numberOf(input.value);
    if (wanted >= parameter.least && wanted <= parameter.most) {
      keep(toValue(parameter.name, wanted));
      return;
    }
    // What is refused stays to be seen for what it was not, and the value that stands is back.
    refused.textContent = `“${input.value}”: ${signed(parameter.least, digits)} to ${signed(parameter.most, digits)}`;
    refused.hidden = false;
    input.value = signed(value, digits);
  });
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
    window.addEventListener(
      "pointerup",
      () => {
        window.removeEventListener("pointermove", move);
        keep();
      },
      { once: true },
    );
  });
  const hasCurve = processor.curves && processor.curves[parameter.name];
  const curve = button(
    "∿",
    () => {
      model.curve = model.curve === parameter.name ? null : parameter.name;
      showCurve();
    },
    {
      className: `quiet curve-button${hasCurve ? " is-on" : ""}`,
      title: hasCurve ? "It moves along a curve: open it" : "Move it along a curve",
    },
  );
  curve.ariaLabel = `Curve of ${label}`;
  return make(
    "div",
    { className: "value" },
    grip,
    make("span", { className: "with-unit" }, input, make("small", { className: "soft", textContent: parameter.unit })),
    ...(parameter.may_move ? [curve] : []),
    refused,
  );
}

export function showFields(box, context) {
  const { model, hear, current, keep, toValue, showCurve } = context;
  const processor = current();
  if (!processor) {
    box.replaceChildren(
      make("p", {
        className: "soft",
        textContent:
          "Nothing is done to it yet. Add a processor, or begin with a starting point made from what is measured here.",
      }),
    );
    return;
  }
  const kind = kindOf(model, processor.kind);
  let shown = kind.parameters;
  if (kind.kind === "equaliser") {
    const on = [1, 2, 3, 4, 5, 6, 7, 8].filter((i) => valueOf(model, processor, `band${i}_shape`) !== "off");
    const rows = on.map((i) =>
      make(
        "div",
        { className: "band-row" },
        make("b", { className: "mono", textContent: String(i) }),
        ...kind.parameters.filter((p) => p.name.startsWith(`band${i}_`)).map((p) => field(processor, p, context)),
      ),
    );
    const free = [1, 2, 3, 4, 5, 6, 7, 8].find((i) => !on.includes(i));
    const more = free
      ? button("+ band", () => keep(toValue(`band${free}_shape`, "bell")), { className: "quiet" })
      : null;
    box.replaceChildren(...rows, ...(more ? [more] : []));
  } else if (kind.kind === "three-band") {
    const isOfBand = (p) => BANDS.some((band) => p.name.startsWith(`${band}_`) && p.name !== `${band}_hz`);
    const rows = BANDS.map((band) => {
      const solo = button("solo", () => hear.toggleBand(band), {
        className: "toggle",
        title: `Hear the ${band} band alone`,
      });
      solo.ariaPressed = String(hear.how() === `band:${band}`);
      const own = kind.parameters.filter((p) => isOfBand(p) && p.name.startsWith(band));
      return make("div", { className: "band-row of-three" }, solo, ...own.map((p) => field(processor, p, context)));
    });
    const rest = kind.parameters.filter((p) => !isOfBand(p));
    box.replaceChildren(
      ...rows,
      make("div", { className: "value-grid" }, ...rest.map((p) => field(processor, p, context))),
    );
  } else {
    shown = kind.parameters;
    box.replaceChildren(make("div", { className: "value-grid" }, ...shown.map((p) => field(processor, p, context))));
  }
  showCurve();
}
