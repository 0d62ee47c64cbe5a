// The workspace's effects: found by words, heard before they are laid, kept as favourites, laid at the playhead.

import { Player } from "../lib/player.js";
import { clock } from "../lib/units.js";
import { button, make } from "../lib/dom.js";

const WAIT_MS = 200;

export function bindLibrary({ api, player, say, page, actions }) {
  const box = document.getElementById("tab-library");
  const { library } = page.dataset;
  const search = make("input", { type: "search", className: "track-name", placeholder: "hammer, wind, short" });
  search.setAttribute("aria-label", "Find a sound by words and tags");
  const onlyFavourites = make("button", { type: "button", className: "toggle", textContent: "★ favourites" });
  onlyFavourites.setAttribute("aria-pressed", "false");
  const list = make("div", { className: "sounds" });
  const file = make("input", { type: "file", accept: "audio/*", id: "library-file" });
  const tags = make("input", { className: "track-name", placeholder: "tags for what you add" });
  tags.setAttribute("aria-label", "Tags");
  box.append(
    make("p", { className: "row" }, search, onlyFavourites),
    list,
    make(
      "details",
      {},
      make("summary", { className: "soft", textContent: "Add a sound of the studio's own" }),
      make("p", { className: "row" }, tags, file),
    ),
  );
  let heard = null;
  let timer = null;
  const taster = new Player("", { parameters: () => ({}), length: () => heard?.length_samples || 0, onFault: say });
  const headers = () => ({ "X-CSRFToken": page.dataset.csrf, Accept: "application/json" });

  async function load() {
    const query = new URLSearchParams({
      words: search.value,
      favourites: onlyFavourites.getAttribute("aria-pressed") === "true" ? "1" : "",
    });
    try {
      const { sounds } = await api.get(`${library}?${query}`);
      list.replaceChildren(...sounds.map(row));
      if (!sounds.length) list.append(make("p", { className: "soft", textContent: "No sound has these words." }));
    } catch (error) {
      say(error.message);
    }
  }

  function row(sound) {
    const play = button("▸", () => hear(sound, play), { className: "quiet play-small" });
    play.setAttribute("aria-label", `Hear ${sound.name}`);
    const star = button(
      sound.is_favourite ? "★" : "☆",
      async () => {
        await fetch(`${library}/${sound.id}/favourite`, { method: "POST", headers: headers() });
        load();
      },
      { className: "quiet" },
    );
    star.setAttribute("aria-label", `Favourite: ${sound.name}`);
    star.setAttribute("aria-pressed", String(sound.is_favourite));
    const place = button("Lay", () => lay(sound), { className: "act", title: "At the playhead" });
    return make(
      "div",
      { className: "sound" },
      play,
      make(
        "span",
        {},
        make("b", { textContent: sound.name }),
        make("small", { className: "soft", textContent: ` ${sound.tags}` }),
      ),
      make("span", { className: "mono soft", textContent: clock(sound.length_samples) }),
      star,
      place,
    );
  }

  function hear(sound, play) {
    const isSame = heard?.id === sound.id && taster.isPlaying;
    taster.stop();
    for (const other of list.querySelectorAll(".play-small")) other.textContent = "▸";
    if (isSame) return;
    player.stop();
    heard = sound;
    taster.url = `${library}/${sound.id}/sound`;
    taster.restSample = 0;
    taster.play();
    play.textContent = "■";
  }

  function lay(sound) {
    taster.stop();
    actions.edit({ at_sample: player.position() }, { url: `${library}/${sound.id}/place` });
  }

  search.addEventListener("input", () => {
    clearTimeout(timer);
    timer = setTimeout(load, WAIT_MS);
  });
  onlyFavourites.addEventListener("click", () => {
    onlyFavourites.setAttribute("aria-pressed", String(onlyFavourites.getAttribute("aria-pressed") !== "true"));
    load();
  });
  file.addEventListener("change", async () => {
    const form = new FormData();
    form.append("file", file.files[0]);
    form.append("tags", tags.value);
    file.value = "";
    const response = await fetch(library, { method: "POST", headers: headers(), body: form });
    if (!response.ok) say((await response.json()).sentence);
    load();
  });
  document.querySelector('[data-tab="library"]').addEventListener("click", load, { once: true });
}
