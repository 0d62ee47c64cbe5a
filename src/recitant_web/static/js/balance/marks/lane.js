// Clearance under the staves.

import { signed } from "../../lib/units.js";
import { GUTTER_WIDTH, xOf } from "../scale.js";
import { MONO } from "./ink.js";

export const LANE_HEIGHT = 84;
const LANE_LU = 24;
const NOBODY_SPEAKS = -1000;

// Clearance: bars from the foot, the line of what is asked for, close passages on their own.
export function shapeOfLane(model, top, width) {
  const { clearance } = model.state;
  const pxPerLu = (LANE_HEIGHT - 8) / LANE_LU;
  const foot = top + LANE_HEIGHT;
  const lane = {
    top,
    height: LANE_HEIGHT,
    asked: clearance.asked_lu,
    askedY: Math.round(foot - Math.min(clearance.asked_lu, LANE_LU) * pxPerLu) + 0.5,
    bars: [],
    passages: [],
    lost: (clearance.lost || [])
      .map(([from, to]) => xOf((from + to) / 2, model.view, width))
      .filter((x) => x > GUTTER_WIDTH && x < width),
  };
  const found = model.contours && model.contours.clearance;
  if (found) {
    const step = model.contours.step_samples;
    found.tenths.forEach((tenths, index) => {
      if (tenths === NOBODY_SPEAKS) return;
      const at = found.from_sample + index * step;
      const x = xOf(at, model.view, width);
      const wide = Math.max(1, xOf(at + step, model.view, width) - x);
      if (x + wide < GUTTER_WIDTH || x > width) return;
      const height = Math.max(1.5, Math.min(tenths / 10, LANE_LU) * pxPerLu);
      // Red is what counts: moments too short to count stay quiet.
      const counts = clearance.passages.some(
        (p) => at + step > p.start_sample && at < p.start_sample + p.length_samples,
      );
      lane.bars.push({
        x,
        width: wide,
        y: foot - height,
        height,
        isClose: counts && tenths / 10 < clearance.asked_lu - 0.05,
      });
    });
  }
  for (const passage of clearance.passages) {
    const x = xOf(passage.start_sample, model.view, width);
    const end = xOf(passage.start_sample + passage.length_samples, model.view, width);
    if (end > GUTTER_WIDTH && x < width)
      lane.passages.push({
        x: Math.max(x, GUTTER_WIDTH),
        width: Math.max(3, end - Math.max(x, GUTTER_WIDTH)),
        passage,
      });
  }
  return lane;
}

export function passageUnder(lane, x) {
  const near = lane.passages.find((p) => x >= p.x - 2 && x <= p.x + p.width + 2);
  return near ? near.passage : null;
}

// Words lost in the mix, as the Words page lists them: a cross each.
function paintLost(context, lane, theme) {
  context.strokeStyle = theme.over;
  context.lineWidth = 1.6;
  context.beginPath();
  for (const x of lane.lost) {
    const y = lane.top + 15;
    context.moveTo(x - 3.5, y - 3.5);
    context.lineTo(x + 3.5, y + 3.5);
    context.moveTo(x + 3.5, y - 3.5);
    context.lineTo(x - 3.5, y + 3.5);
  }
  context.stroke();
}

export function paintLane(context, score, theme) {
  const { lane } = score;
  context.fillStyle = theme.sheet;
  context.fillRect(0, lane.top, score.width, lane.height);
  for (const bar of lane.bars) {
    context.fillStyle = bar.isClose ? theme.over : theme.within;
    context.globalAlpha = bar.isClose ? 0.55 : 0.28;
    context.fillRect(bar.x, bar.y, bar.width, bar.height);
  }
  context.globalAlpha = 1;
  // Close passages are not told by colour alone: a bracket stands over each.
  context.fillStyle = theme.over;
  for (const { x, width } of lane.passages) {
    context.fillRect(x, lane.top + 2, width, 2);
    context.fillRect(x, lane.top + 2, 1.5, 6);
    context.fillRect(x + width - 1.5, lane.top + 2, 1.5, 6);
  }
  paintLost(context, lane, theme);
  context.strokeStyle = theme.ink;
  context.lineWidth = 1;
  context.setLineDash([5, 4]);
  context.beginPath();
  context.moveTo(GUTTER_WIDTH, lane.askedY);
  context.lineTo(score.width, lane.askedY);
  context.stroke();
  context.setLineDash([]);
  context.font = MONO;
  context.fillStyle = theme.soft;
  context.textAlign = "right";
  context.fillText(signed(lane.asked, lane.asked % 1 ? 1 : 0), GUTTER_WIDTH - 6, lane.askedY + 3.5);
  context.textAlign = "left";
}
