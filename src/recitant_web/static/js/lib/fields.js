// Fields of forms that the pages build: what is typed goes on when it is finished, Escape takes it back.

import { make } from "./dom.js";
import { gainText } from "./units.js";

export function gainInput(label, valueDb, onGain) {
  const input = make("input", { className: "gain mono", type: "text", inputMode: "decimal", value: gainText(valueDb) });
  input.setAttribute("aria-label", `${label}, dB`);
  input.addEventListener("focus", () => input.select());
  input.addEventListener("change", () => onGain(input.value));
  input.addEventListener("keydown", (event) => {
    if (event.key === "Enter") input.blur();
    if (event.key === "Escape") {
      input.value = gainText(valueDb);
      input.blur();
    }
  });
  return input;
}

export function row(label, control) {
  return make("label", { className: "field" }, make("span", { textContent: label }), control);
}

export function numberField(label, value, onValue, unit) {
  const input = make("input", {
    className: "gain mono",
    type: "text",
    inputMode: "decimal",
    value: String(Math.round(value * 100) / 100).replace("-", "−"),
  });
  input.setAttribute("aria-label", label);
  input.dataset.key = label;
  input.addEventListener("change", () => {
    input.blur();
    onValue(input.value);
  });
  input.addEventListener("focus", () => input.select());
  return make("span", { className: "with-unit" }, input, make("small", { className: "soft", textContent: unit }));
}

export function choice(label, options, value, onValue) {
  const select = make(
    "select",
    {},
    ...options.map(([key, text]) => make("option", { value: key, textContent: text, selected: key === value })),
  );
  select.setAttribute("aria-label", label);
  select.dataset.key = label;
  select.addEventListener("change", () => onValue(select.value));
  return select;
}

export function check(label, isOn, onChange) {
  const box = make("input", { type: "checkbox", checked: isOn });
  box.dataset.key = label;
  box.addEventListener("change", () => onChange(box.checked));
  return make("label", { className: "tick" }, box, make("span", { textContent: label }));
}

export function details(key, summary, ...children) {
  const element = make("details", {}, make("summary", { className: "soft", textContent: summary }), ...children);
  element.dataset.key = key;
  return element;
}

// A number as somebody typed it, with a comma or a true minus; NaN where it is none.
export function numberOf(text) {
  const words = String(text).replace("−", "-").replace(",", ".").trim();
  return words === "" ? NaN : Number(words);
}
