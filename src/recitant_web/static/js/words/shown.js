// The picture beside the words, with the caption of the moment over it.

import { setText } from "../lib/dom.js";
import { Picture } from "../lib/picture.js";

export function newShown({ box, url, model }) {
  const video = box.querySelector("video");
  const line = box.querySelector("p");
  let picture = null;

  // Only while captions are looked at, or the picture is small enough to stand beside everything else.
  function show() {
    const found = model.state.picture;
    box.hidden = !found?.is_shown;
    if (box.hidden || picture) return;
    video.src = url;
    picture = new Picture(video, { rateHz: found.rate_hz });
  }

  function follow(sample, player) {
    const cue = model.state.captions.find((row) => row.from <= sample && sample < row.to);
    line.hidden = !cue;
    setText(line, cue ? cue.text : "");
    if (!box.hidden) picture?.follow(sample - model.state.picture_offset_samples, player.isSounding, player.rate);
  }

  return { show, follow };
}
