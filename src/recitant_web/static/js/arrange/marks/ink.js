// What several marks are drawn with.

export const MONO = '10px "Spline Sans Mono", monospace';
export const TEXT = '600 10.5px "Public Sans", sans-serif';
