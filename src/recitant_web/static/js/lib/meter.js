// The peak meter at the top of a page: a bar in dBFS for each channel, held for a moment, with a mark where it was over.

import { fitCanvas, sizeOf } from "./canvas.js";
import { signed } from "./units.js";

const MONO = '10px "Spline Sans Mono", monospace';
const HOLD_MS = 1500;
const METER_FLOOR_DB = -48;
const MARKS_HEIGHT = 12;
const MOST_ROW_HEIGHT = 13;

function paintMeter(context, width, height, meter, theme) {
  context.clearRect(0, 0, width, height);
  const left = 14;
  const x = (db) =>
    left + ((Math.max(METER_FLOOR_DB, Math.min(0, db)) - METER_FLOOR_DB) / -METER_FLOOR_DB) * (width - left - 4);
  context.font = MONO;
  const row = Math.min(MOST_ROW_HEIGHT, Math.floor((height - MARKS_HEIGHT) / meter.channels.length));
  const thick = Math.min(9, row - 1);
  meter.channels.forEach((name, i) => {
    const y = 3 + i * row;
    context.fillStyle = theme.rule;
    context.fillRect(left, y, width - left - 4, thick);
    context.fillStyle = theme.ink;
    context.fillRect(left, y, x(meter.db[i]) - left, thick);
    context.fillStyle = theme.brass;
    if (meter.hold[i] > METER_FLOOR_DB) context.fillRect(x(meter.hold[i]) - 1, y - 1, 2.5, thick + 2);
    context.fillStyle = meter.isOver[i] ? theme.over : theme.faint;
    context.fillRect(width - 3, y - 1, 3, thick + 2);
    context.fillStyle = theme.soft;
    context.fillText(name, 2, y + thick - 0.5);
  });
  context.fillStyle = theme.faint;
  const marks = width < 180 ? [-40, -20] : [-40, -30, -20, -10];
  for (const db of marks) context.fillText(signed(db, 0), x(db) - 9, height - 2);
  context.fillText("dBFS", width - 28, height - 2);
}

// channels: names of those of the bus, in order.
export function newPeakMeter(canvas, theme, channels) {
  const each = (value) => channels.map(() => value);
  const meter = { channels, db: each(-99), hold: each(-99), heldUntil: 0, isOver: each(false) };
  let painted = "";
  const again = () => {
    painted = "";
  };
  const box = sizeOf(canvas, again);
  window.addEventListener("themechange", again);
  canvas.addEventListener("click", () => {
    meter.isOver = each(false);
  });

  // reading: of the player, null while nothing sounds.
  return function show(reading, now) {
    if (reading) {
      meter.db = reading.peaks.map((tenths) => tenths / 10);
      if (now > meter.heldUntil) meter.hold = each(-99);
      meter.db.forEach((db, i) => {
        if (db >= meter.hold[i]) {
          meter.hold[i] = db;
          meter.heldUntil = now + HOLD_MS;
        }
        if (db > 0) meter.isOver[i] = true;
      });
    } else meter.db = each(-99);
    const key = JSON.stringify([meter.db, meter.hold, meter.isOver]);
    if (key === painted) return;
    painted = key;
    paintMeter(fitCanvas(canvas, box.width, box.height), box.width, box.height, meter, theme);
  };
}
