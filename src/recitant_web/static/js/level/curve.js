// The curve of a value over time: points by pointer, by double click, or typed.

import { button, make } from "../lib/dom.js";
import { RATE_HZ, signed } from "../lib/units.js";
import { curveSpan, kindOf, rounded, share, valueAt, valueOf } from "./model.js";
import { curvePlot } from "./plots.js";

const WIDTH = 460;

export function showCurve(box, context) {
  const { model, actions, current, keep, toCurve } = context;
  const processor = current();
  const parameter =
    processor && model.curve && kindOf(model, processor.kind).parameters.find((p) => p.name === model.curve);
  if (!parameter || !parameter.may_move) {
    box.replaceChildren();
    return;
  }
  const span = curveSpan(model);
  const points = (processor.curves && processor.curves[parameter.name]) || [];
  const height = 84;
  const yOf = (value) => height - share(value, parameter) * height;
  const xOf = (at) => ((at - span.from) / (span.to - span.from)) * WIDTH;
  const plot = curvePlot(WIDTH, height, points, yOf, xOf);
  const pointAt = (event) => {
    const plotBox = plot.getBoundingClientRect();
    const at = Math.round(
      span.from + Math.min(1, Math.max(0, (event.clientX - plotBox.left) / plotBox.width)) * (span.to - span.from),
    );
    return [at, rounded(valueAt(1 - (event.clientY - plotBox.top) / plotBox.height, parameter), parameter)];
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
        circle.setAttribute("cx", xOf(moved[0]));
        circle.setAttribute("cy", yOf(moved[1]));
      };
      window.addEventListener("pointermove", move);
      window.addEventListener(
        "pointerup",
        () => {
          window.removeEventListener("pointermove", move);
          if (next) keep(toCurve(parameter.name, next));
        },
        { once: true },
      );
    });
  }
  const seconds = (at) => ((at - span.from) / RATE_HZ).toFixed(2);
  const typed = points.map(([at, value], i) => {
    const time = make("input", { className: "mono", value: seconds(at) });
    const level = make("input", { className: "mono", value: signed(value) });
    time.ariaLabel = `Time of point ${i + 1}, seconds`;
    level.ariaLabel = `Value of point ${i + 1}, ${parameter.unit}`;
    const change = () =>
      keep(
        toCurve(
          parameter.name,
          points.map((p, k) =>
            k === i
              ? [
                  Math.round(span.from + Number(time.value.replace(",", ".")) * RATE_HZ),
                  level.value.replace("−", "-").replace(",", "."),
                ]
              : p,
          ),
        ),
      );
    time.addEventListener("change", change);
    level.addEventListener("change", change);
    return make(
      "span",
      { className: "typed-point" },
      time,
      make("small", { className: "soft", textContent: "s" }),
      level,
      make("small", { className: "soft", textContent: parameter.unit }),
    );
  });
  box.replaceChildren(
    make("div", {
      className: "soft small",
      textContent: `${parameter.label} over time: double click adds a point, on a point it removes it.`,
    }),
    plot,
    make(
      "div",
      { className: "typed" },
      ...typed,
      button(
        "+ point here",
        () =>
          keep(
            toCurve(parameter.name, [
              ...points,
              [actions.placeOnCurve(span), valueOf(model, processor, parameter.name)],
            ]),
          ),
        { className: "quiet" },
      ),
      ...(points.length ? [button("no curve", () => keep(toCurve(parameter.name, [])), { className: "quiet" })] : []),
    ),
  );
}
