// The handles of a processor in its spectrum: frequency, gain and width by pointer, wheel and keys.

import { signed } from "../lib/units.js";
import { kindOf, rounded, valueOf } from "./model.js";
import { gainOfY, hzOfX } from "./plots.js";

const WHEEL = 1.12;

export function bandsOf(model, processor) {
  if (processor.kind === "high-pass" || processor.kind === "low-pass")
    return [
      {
        number: 0,
        hz: valueOf(model, processor, "freq_hz"),
        db: -3,
        label: kindOf(model, processor.kind).label,
        words: `${valueOf(model, processor, "freq_hz")} Hz`,
        names: { hz: "freq_hz" },
      },
    ];
  if (processor.kind === "de-esser")
    return [
      {
        number: 0,
        hz: valueOf(model, processor, "freq_hz"),
        db: 0,
        label: "De-esser",
        words: `${valueOf(model, processor, "freq_hz")} Hz`,
        names: { hz: "freq_hz", q: "q" },
      },
    ];
  if (processor.kind !== "equaliser") return [];
  const found = [];
  for (let i = 1; i <= 8; i += 1) {
    const shape = valueOf(model, processor, `band${i}_shape`);
    if (shape === "off") continue;
    const [hz, db] = [valueOf(model, processor, `band${i}_freq_hz`), valueOf(model, processor, `band${i}_gain_db`)];
    found.push({
      number: i,
      hz,
      db: shape === "notch" ? -18 : db,
      label: `Band ${i}, ${shape}`,
      words: `${hz} Hz, ${signed(db)} dB`,
      names: { hz: `band${i}_freq_hz`, db: shape === "notch" ? null : `band${i}_gain_db`, q: `band${i}_q` },
    });
  }
  return found;
}

export function bindBands(plot, processor, context) {
  const { model, current, draft, keep, toValue, byStep, showFields, showPlot } = context;
  const bands = bandsOf(model, processor);
  const inRange = (name, value) => {
    const parameter = kindOf(model, processor.kind).parameters.find((p) => p.name === name);
    return rounded(Math.min(parameter.most, Math.max(parameter.least, value)), parameter);
  };
  for (const handle of plot.querySelectorAll(".handle")) {
    const band = bands.find((one) => String(one.number) === handle.dataset.band);
    handle.addEventListener("pointerdown", (event) => {
      event.preventDefault();
      const plotBox = plot.getBoundingClientRect();
      const move = (at) => {
        const toHz = toValue(band.names.hz, inRange(band.names.hz, hzOfX(at.clientX - plotBox.left, plotBox.width)));
        const toDb = band.names.db
          ? toValue(band.names.db, inRange(band.names.db, gainOfY(at.clientY - plotBox.top, plotBox.height)))
          : (now) => now;
        draft((now) => toDb(toHz(now)));
        showFields();
        showPlot();
      };
      const up = () => {
        window.removeEventListener("pointermove", move);
        keep();
      };
      window.addEventListener("pointermove", move);
      window.addEventListener("pointerup", up, { once: true });
    });
    handle.addEventListener(
      "wheel",
      (event) => {
        if (!band.names.q) return;
        event.preventDefault();
        draft(
          toValue(
            band.names.q,
            inRange(band.names.q, valueOf(model, current(), band.names.q) * (event.deltaY < 0 ? WHEEL : 1 / WHEEL)),
          ),
        );
        showFields();
        clearTimeout(handle.timer);
        handle.timer = setTimeout(() => keep(), 400);
      },
      { passive: false },
    );
    handle.addEventListener("keydown", (event) => {
      const by = {
        ArrowLeft: ["hz", 1 / 1.03],
        ArrowRight: ["hz", 1.03],
        ArrowUp: ["db", 0.5],
        ArrowDown: ["db", -0.5],
      }[event.key];
      if (!by || !band.names[by[0]]) return;
      event.preventDefault();
      event.stopPropagation();
      const name = band.names[by[0]];
      keep(byStep(name, (value) => inRange(name, by[0] === "hz" ? value * by[1] : value + by[1])));
    });
  }
}
