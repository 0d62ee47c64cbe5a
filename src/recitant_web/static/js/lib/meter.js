// The peak meter at the top of a page: two bars in dBFS, held for a moment, with a mark for each side that was over.

import { fitCanvas, sizeOf } from "./canvas.js";
import { signed } from "./units.js";

const MONO = '10px "Spline Sans Mono", monospace';
const HOLD_MS = 1500;
const METER_FLOOR_DB = -48;

function paintMeter(context, width, height, meter, theme) {
  context.clearRect(0, 0, width, height);
  const left = 14;
  const x = (db) =>
    left + ((Math.max(METER_FLOOR_DB, Math.min(0, db)) - METER_FLOOR_DB) / -METER_FLOOR_DB) * (width - left - 4);
  context.font = MONO;
  ["L", "R"].forEach((name, i) => {
    const y = 3 + i * 13;
    context.fillStyle = theme.rule;
    context.fillRect(left, y, width - left - 4, 9);
    context.fillStyle = theme.ink;
    context.fillRect(left, y, x(meter.db[i]) - left, 9);
    context.fillStyle = theme.brass;
    if (meter.hold[i] > METER_FLOOR_DB) context.fillRect(x(meter.hold[i]) - 1, y - 1, 2.5, 11);
    context.fillStyle = meter.isOver[i] ? theme.over : theme.faint;
    context.fillRect(width - 3, y - 1, 3, 11);
    context.fillStyle = theme.soft;
    context.fillText(name, 2, y + 8.5);
  });
  context.fillStyle = theme.faint;
  const marks = width < 180 ? [-40, -20] : [-40, -30, -20, -10];
  for (const db of marks) context.fillText(signed(db, 0), x(db) - 9, height - 2);
  context.fillText("dBFS", width - 28, height - 2);
}

export function newPeakMeter(canvas, theme) {
  const meter = { db: [-99, -99], hold: [-99, -99], heldUntil: 0, isOver: [false, false] };
  let painted = "";
  const again = () => {
    painted = "";
  };
  const box = sizeOf(canvas, again);
  window.addEventListener("themechange", again);
  canvas.addEventListener("click", () => {
    meter.isOver = [false, false];
  });

  // reading: of the player, null while nothing sounds.
  return function show(reading, now) {
    if (reading) {
      meter.db = reading.peaks.map((tenths) => tenths / 10);
      if (now > meter.heldUntil) meter.hold = [-99, -99];
      meter.db.forEach((db, i) => {
        if (db >= meter.hold[i]) {
          meter.hold[i] = db;
          meter.heldUntil = now + HOLD_MS;
        }
        if (db > 0) meter.isOver[i] = true;
      });
    } else meter.db = [-99, -99];
    const key = JSON.stringify([meter.db, meter.hold, meter.isOver]);
    if (key === painted) return;
    painted = key;
    paintMeter(fitCanvas(canvas, box.width, box.height), box.width, box.height, meter, theme);
  };
}
