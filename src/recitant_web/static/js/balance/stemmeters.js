// A meter for each stem while it plays, at the right edge of its head: on the scale of the stave beside it.

import { staveOf } from "./model.js";

const ABOVE_AIM_LU = 12;
const SCALE_LU = 30;
const FALL_LU_PER_S = 24;

export function newStemMeters(heads, model) {
  const shown = new Map(); // role -> share of the stave's height
  let last = 0;

  // reading: of the player, null while nothing sounds.
  return function paint(reading, now) {
    const fall = ((now - last) / 1000) * (FALL_LU_PER_S / SCALE_LU);
    last = now;
    for (const bar of heads.querySelectorAll(".stem-meter")) {
      const { role } = bar.dataset;
      const lufs = reading?.stems?.[role] === undefined ? -100 : reading.stems[role] / 10;
      const wanted = Math.min(1, Math.max(0, (lufs - staveOf(model, role).aim_lufs - ABOVE_AIM_LU) / SCALE_LU + 1));
      const share = Math.max(wanted, (shown.get(role) || 0) - fall);
      if (share === shown.get(role)) continue;
      shown.set(role, Math.max(0, share));
      bar.style.height = `${Math.max(0, share) * 100}%`;
    }
  };
}
