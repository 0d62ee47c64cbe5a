// The gain curve of a clip.

const TOP_DB = 12;
const BOTTOM_DB = -36;
const REACH_PX = 7;

export function curveY(db, row) {
  const share = (TOP_DB - Math.max(BOTTOM_DB, Math.min(TOP_DB, db))) / (TOP_DB - BOTTOM_DB);
  return row.y + 6 + share * (row.height - 12);
}

export function curveDb(y, row) {
  const share = (y - row.y - 6) / Math.max(1, row.height - 12);
  return Math.round((TOP_DB - Math.min(1, Math.max(0, share)) * (TOP_DB - BOTTOM_DB)) * 10) / 10;
}

export function shapeOfCurve(clip, row, x, w) {
  const points = clip.curve?.map(([at, db]) => ({ x: x + (at / clip.length) * w, y: curveY(db, row), at, db }));
  return points || null;
}

export function curveUnder(model, row, shape, x, y) {
  if (!shape.curve && !model.isCurves) return null;
  const index = (shape.curve || []).findIndex((p) => Math.hypot(p.x - x, p.y - y) < REACH_PX);
  if (index >= 0) return { kind: "point", row, shape, index };
  return model.isCurves ? { kind: "line", row, shape } : null;
}

export function paintCurve(context, shape, row, theme) {
  const points = shape.curve || [];
  const unity = curveY(0, row);
  context.strokeStyle = theme.brass;
  context.lineWidth = 1.6;
  context.beginPath();
  context.moveTo(shape.x, points.length ? points[0].y : unity);
  for (const point of points) context.lineTo(point.x, point.y);
  context.lineTo(shape.x + shape.w, points.length ? points.at(-1).y : unity);
  context.stroke();
  context.fillStyle = theme.raised;
  for (const point of points) {
    context.beginPath();
    context.arc(point.x, point.y, 3.5, 0, 7);
    context.fill();
    context.stroke();
  }
}
