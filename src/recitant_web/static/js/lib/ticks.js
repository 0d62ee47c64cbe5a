// How far apart a ruler's ticks stand.

const STEPS_S = [0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 30, 60, 120, 300, 600, 1200, 1800, 3600];

// most: ticks that the width holds; leastS: the finest step there is.
export const tickStepS = (seconds, most, leastS = STEPS_S[0]) =>
  STEPS_S.find((step) => step >= leastS && seconds / step <= most) || 7200;
