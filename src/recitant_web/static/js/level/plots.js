// Pictures of what a processor does, as SVG: what the server computed, placed and joined up; nothing is computed here.

const NS = "http://www.w3.org/2000/svg";
const LEAST_HZ = 20;
const MOST_HZ = 20000;
const SPAN_DB = 24;
const FLOOR_DB = -72;

export function svg(tag, attributes = {}, ...children) {
  const element = document.createElementNS(NS, tag);
  for (const [name, value] of Object.entries(attributes)) element.setAttribute(name, value);
  element.append(...children);
  return element;
}

const xOfHz = (hz, width) => (Math.log(hz / LEAST_HZ) / Math.log(MOST_HZ / LEAST_HZ)) * width;
export const hzOfX = (x, width) => LEAST_HZ * (MOST_HZ / LEAST_HZ) ** Math.min(1, Math.max(0, x / width));
const yOfGain = (db, height) => height / 2 - (db / SPAN_DB) * (height / 2);
export const gainOfY = (y, height) => ((height / 2 - y) / (height / 2)) * SPAN_DB;

function line(points) {
  return points.map(([x, y]) => `${x.toFixed(1)},${y.toFixed(1)}`).join(" ");
}

function responsePoints(view, width, height) {
  return line(view.response.map((db, i) => [xOfHz(view.freq_hz[i], width), yOfGain(Math.max(-40, db), height)]));
}

function staticPoints(view, size) {
  const at = (db) => ((db - FLOOR_DB) / -FLOOR_DB) * size;
  const [levels, out] = view.static;
  return line(levels.map((db, i) => [at(db), size - at(Math.max(FLOOR_DB, out[i]))]));
}

// Response and static curve moved in the plots that stand, which keep their handles and the focus; whether both were there.
export function moveCurves(box, view) {
  let isWhole = true;
  const move = (selector, points) => {
    const plot = box.querySelector(selector);
    const curve = plot?.querySelector(".response");
    if (curve) curve.setAttribute("points", points(plot.viewBox.baseVal));
    else isWhole = false;
  };
  if (view.response) move(".plot:not(.static)", ({ width, height }) => responsePoints(view, width, height));
  if (view.static) move(".plot.static", ({ width }) => staticPoints(view, width));
  return isWhole;
}

// Spectra behind, the response in front, a handle for every band that can be dragged.
export function spectrumPlot(width, height, view, bands) {
  const plot = svg("svg", {
    viewBox: `0 0 ${width} ${height}`,
    class: "plot",
    role: "img",
    "aria-label": "Spectrum before and after, and the response",
  });
  plot.append(
    svg("rect", { x: xOfHz(100, width), y: 0, width: xOfHz(1200, width) - xOfHz(100, width), height, class: "voice" }),
  );
  for (const hz of [50, 100, 200, 500, 1000, 2000, 5000, 10000]) {
    const x = xOfHz(hz, width);
    plot.append(
      svg("line", { x1: x, x2: x, y1: 0, y2: height, class: "grid" }),
      svg("text", { x: x + 3, y: height - 4 }, hz >= 1000 ? `${hz / 1000}k` : String(hz)),
    );
  }
  for (const db of [-12, 0, 12])
    plot.append(
      svg("line", {
        x1: 0,
        x2: width,
        y1: yOfGain(db, height),
        y2: yOfGain(db, height),
        class: db ? "grid" : "grid zero",
      }),
    );
  if (!view) return plot;
  const before = view.spectrum_into || view.spectrum_before;
  const after = view.spectrum_out || view.spectrum_after;
  const top = Math.max(...before, ...after) + 6;
  const y = (db) => Math.min(height, ((top - db) / 78) * height);
  plot.append(
    svg("polyline", { points: line(before.map((db, i) => [xOfHz(view.freq_hz[i], width), y(db)])), class: "before" }),
  );
  plot.append(
    svg("polyline", { points: line(after.map((db, i) => [xOfHz(view.freq_hz[i], width), y(db)])), class: "after" }),
  );
  if (view.response) plot.append(svg("polyline", { points: responsePoints(view, width, height), class: "response" }));
  for (const band of bands) {
    const handle = svg("g", {
      class: "handle",
      tabindex: 0,
      role: "slider",
      "aria-label": band.label,
      "data-band": band.number,
      "aria-valuetext": band.words,
    });
    const [x, at] = [xOfHz(band.hz, width), yOfGain(Math.max(-SPAN_DB + 2, Math.min(SPAN_DB - 2, band.db)), height)];
    handle.append(
      svg("circle", { cx: x, cy: at, r: 9 }),
      svg("text", { x, y: at + 3.5, "text-anchor": "middle" }, String(band.number || "•")),
    );
    plot.append(handle);
  }
  return plot;
}

export function staticPlot(size, view) {
  const plot = svg("svg", {
    viewBox: `0 0 ${size} ${size}`,
    class: "plot static",
    role: "img",
    "aria-label": "Level in against level out, dBFS",
  });
  const at = (db) => ((db - FLOOR_DB) / -FLOOR_DB) * size;
  for (const db of [-60, -48, -36, -24, -12])
    plot.append(
      svg("line", { x1: at(db), x2: at(db), y1: 0, y2: size, class: "grid" }),
      svg("line", { x1: 0, x2: size, y1: size - at(db), y2: size - at(db), class: "grid" }),
    );
  plot.append(svg("line", { x1: 0, y1: size, x2: size, y2: 0, class: "grid zero" }));
  plot.append(svg("polyline", { points: staticPoints(view, size), class: "response" }));
  plot.append(svg("circle", { class: "now", r: 4, cx: -10, cy: -10 }));
  plot.append(svg("text", { x: 3, y: size - 4 }, "in →"), svg("text", { x: 3, y: 11 }, "out, dBFS"));
  return plot;
}

// Where the level is now on the static curve: between the two nearest of what the server sent.
export function moveNow(plot, view, db) {
  const dot = plot.querySelector(".now");
  if (!dot || !view || !view.static) return;
  const size = plot.viewBox.baseVal.width;
  const [levels, out] = view.static;
  const index = Math.max(
    0,
    Math.min(
      levels.length - 1,
      levels.findIndex((level) => level >= db),
    ),
  );
  const at = (value) => ((Math.max(FLOOR_DB, value) - FLOOR_DB) / -FLOOR_DB) * size;
  dot.setAttribute("cx", db <= FLOOR_DB ? -10 : at(levels[index]));
  dot.setAttribute("cy", db <= FLOOR_DB ? -10 : size - at(out[index]));
}

export function reductionPlot(width, height, reduction, mostDb = 18) {
  const plot = svg("svg", {
    viewBox: `0 0 ${width} ${height}`,
    class: "plot reduction",
    preserveAspectRatio: "none",
    role: "img",
    "aria-label": "Gain reduction over time, dB",
  });
  const y = (db) => Math.min(height, (-db / mostDb) * height);
  const x = (i) => (i / Math.max(1, reduction.length - 1)) * width;
  plot.append(
    svg("polygon", { points: `0,0 ${line(reduction.map((db, i) => [x(i), y(db)]))} ${width},0`, class: "taken" }),
  );
  plot.append(svg("line", { x1: 0, x2: width, y1: y(-6), y2: y(-6), class: "mark" }));
  plot.append(svg("line", { x1: -5, x2: -5, y1: 0, y2: height, class: "head" }));
  return plot;
}

export function curvePlot(width, height, points, yOf, xOf) {
  const plot = svg("svg", {
    viewBox: `0 0 ${width} ${height}`,
    class: "plot curve",
    role: "img",
    "aria-label": "The value over time",
  });
  for (const part of [0.25, 0.5, 0.75])
    plot.append(svg("line", { x1: 0, x2: width, y1: part * height, y2: part * height, class: "grid" }));
  if (points.length) {
    const placed = points.map(([at, value]) => [xOf(at), yOf(value)]);
    plot.append(
      svg("polyline", { points: line([[0, placed[0][1]], ...placed, [width, placed.at(-1)[1]]]), class: "response" }),
    );
    placed.forEach(([x, y], index) => {
      const handle = svg("g", { class: "handle", "data-point": index });
      handle.append(svg("circle", { cx: x, cy: y, r: 6 }));
      plot.append(handle);
    });
  }
  return plot;
}
