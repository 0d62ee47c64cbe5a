// Figures and times as people read them. Mirrors recitant_text.sentences and recitant_core.units.timecode; the same
// tests hold both (tests/js/test_units_mirror.py).

export const RATE_HZ = 48000;

const FRAME_RATES = {
  23.976: [24000, 1001],
  24: [24, 1],
  25: [25, 1],
  29.97: [30000, 1001],
  "29.97df": [30000, 1001],
  30: [30, 1],
  50: [50, 1],
  59.94: [60000, 1001],
  "59.94df": [60000, 1001],
  60: [60, 1],
};

export function signed(value, digits = 1) {
  if (value === null || value === undefined) return "–";
  const text = value.toFixed(digits);
  return (Number(text) === 0 ? text.replace("-", "") : text).replace("-", "−");
}

export function gainText(gainDb) {
  const text = signed(gainDb);
  return gainDb > 0 && text !== "0.0" ? `+${text}` : text;
}

export function clock(samples) {
  const seconds = Math.floor(samples / RATE_HZ);
  const two = (n) => String(n).padStart(2, "0");
  const hours = Math.floor(seconds / 3600);
  const rest = `${hours ? two(Math.floor(seconds / 60) % 60) : Math.floor(seconds / 60)}:${two(seconds % 60)}`;
  return hours ? `${hours}:${rest}` : rest;
}

export function timecode(samples, rateName) {
  const [numerator, denominator] = FRAME_RATES[rateName];
  const perSecond = Math.round(numerator / denominator);
  const isDrop = rateName.endsWith("df");
  let frame = Number((BigInt(Math.round(samples)) * BigInt(numerator)) / (BigInt(denominator) * BigInt(RATE_HZ)));
  if (isDrop) frame += droppedNumbers(frame, perSecond);
  const seconds = Math.floor(frame / perSecond);
  const two = (n) => String(n).padStart(2, "0");
  const mark = isDrop ? ";" : ":";
  return `${two(Math.floor(seconds / 3600))}:${two(Math.floor(seconds / 60) % 60)}:${two(seconds % 60)}${mark}${two(frame % perSecond)}`;
}

function droppedNumbers(frame, perSecond) {
  const dropped = perSecond / 15;
  const perMinute = perSecond * 60 - dropped;
  const perTenMinutes = perMinute * 10 + dropped;
  const tens = Math.floor(frame / perTenMinutes);
  const minutes = Math.floor(Math.max(0, (frame % perTenMinutes) - dropped) / perMinute);
  return dropped * (9 * tens + minutes);
}

// The first sample of the picture frame that lies so many frames from the one which holds this sample.
export function samplesOfFrames(samples, byFrames, rateName) {
  const [numerator, denominator] = FRAME_RATES[rateName].map(BigInt);
  const frame = (BigInt(Math.round(samples)) * numerator) / (denominator * BigInt(RATE_HZ)) + BigInt(byFrames);
  const wanted = frame < 0n ? 0n : frame;
  return Number((wanted * denominator * BigInt(RATE_HZ) + numerator - 1n) / numerator);
}
