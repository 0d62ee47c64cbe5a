// Looking for words, here and in all programmes of the workspace; and a caption file on its way in.

import { setText } from "../lib/dom.js";
import { byId } from "../lib/page.js";
import { placesOf } from "./model.js";

export function bindFind({ page, model, api, text, side, actions }) {
  const find = byId("find");

  function look() {
    model.hits = placesOf(model, find.value);
    const n = model.hits.length;
    setText(byId("found"), !find.value.trim() ? "" : n === 1 ? "1 place" : `${n} places`);
    text().showChosen();
  }

  async function lookElsewhere() {
    try {
      const { found } = await api.get(`${page.dataset.search}?q=${encodeURIComponent(find.value)}`);
      const here = Number(page.dataset.search.match(/programmes\/(\d+)/)[1]);
      model.found = found.filter((row) => row.programme !== here);
      side().show();
    } catch (error) {
      actions.say(error.message);
    }
  }

  find.addEventListener("input", look);
  find.addEventListener("keydown", (event) => {
    event.stopPropagation();
    if (event.key === "Escape") {
      find.value = "";
      look();
      byId("turns").focus();
    }
    if (event.key !== "Enter") return;
    const at = actions.position();
    const next = model.hits.find((sample) => sample > at + 480) ?? model.hits[0];
    if (next !== undefined) {
      actions.seek(next);
      text().reveal(next);
    }
    lookElsewhere();
  });
}

export function bindCaptionFile({ page, say, revision, settled, onDone }) {
  byId("captions-file").addEventListener("change", async (event) => {
    const [file] = event.target.files;
    if (!file) return;
    const data = new FormData();
    data.append("file", file);
    await settled();
    try {
      const response = await fetch(`${page.dataset.import}?revision=${revision()}`, {
        method: "POST",
        body: data,
        headers: { "X-CSRFToken": page.dataset.csrf, Accept: "application/json" },
      });
      event.target.value = "";
      if (response.ok) await onDone();
      else say((await response.json()).sentence);
    } catch {
      say("The file did not reach the server. Choose it again.");
    }
  });
}
