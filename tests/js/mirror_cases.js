// Numbers of the pages' modules that stand in Python too, for tests/js/test_mirrors.py.

import { trimLimits } from "../../src/recitant_web/static/js/arrange/drawn.js";
import { RATE_HZ } from "../../src/recitant_web/static/js/lib/units.js";
import { BY_HAND, LEFT_OUT, UNSURE } from "../../src/recitant_web/static/js/words/model.js";

export const cases = {
  numbers: () => ({ RATE_HZ, BY_HAND, LEFT_OUT, UNSURE }),
  // Of each clip and edge: by how far the edge is moved where so much is wished.
  trims: (wanted, leastClipSamples, lengthSamples) => {
    const state = { least_clip_samples: leastClipSamples, sources: { s: { length_samples: lengthSamples } } };
    return wanted.map(([clip, edge, by]) => {
      const [least, most] = trimLimits(state, { source: "s", ...clip }, edge);
      return Math.min(Math.max(by, least), most);
    });
  },
};
