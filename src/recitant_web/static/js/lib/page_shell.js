// What every page with a timeline is built into: notices, requests, the queue of edits, the player, the follower, undo and
// redo, buttons, keys, and what moves with the playhead.

import { newApi } from "./api.js";
import { setText } from "./dom.js";
import { newEditQueue } from "./edits.js";
import { newFollower } from "./follow.js";
import { byId, newNotice, showLoudness, showPlaying } from "./page.js";
import { Player } from "./player.js";
import { bindShortcuts, newShortcutsDialog } from "./shortcuts.js";
import { timecode } from "./units.js";

// page: the element with the addresses; model: with base, the newest state of the server, and state, what is shown.
// apply, adopt, draw: see newEditQueue; refuse(error, data, say) tells of an edit that was refused.
// parameters, loop, onBlock: of the player. pauseMs, isFree: of the follower; it never adopts while an edit waits.
export function newPageShell({
  page,
  model,
  apply,
  adopt,
  draw,
  refuse = (error, _data, say) => say(error.message),
  parameters,
  loop,
  onBlock,
  pauseMs = () => null,
  isFree = () => true,
}) {
  const say = newNotice();
  const api = newApi(page.dataset, model.base);
  const queue = newEditQueue({
    post: api.edit,
    refetch: api.state,
    tell: say,
    base: () => model.base,
    apply,
    adopt,
    refuse: (error, data) => refuse(error, data, say),
    draw,
  });
  const edit = queue.add;
  const player = new Player(page.dataset.sound, {
    parameters,
    length: () => model.state.length_samples,
    onFault: say,
    loop,
    onBlock,
  });
  const follow = newFollower({
    api,
    base: () => model.base,
    pauseMs,
    isFree: () => isFree() && queue.isIdle(),
    movedUrl: page.dataset.moved,
    adopt,
  });
  let openShortcuts = () => {};
  const actions = {
    playOrStop: () => {
      if (player.isOn) player.stop();
      else player.play();
    },
    undo: () => edit((state) => (state.undo ? { kind: "undo" } : null)),
    redo: () => edit((state) => (state.redo ? { kind: "redo" } : null)),
    showShortcuts: () => openShortcuts(),
  };

  // buttons: what a press on each [data-do] does, by name; shortcuts: the table of the page's keys, made from all actions.
  function bind({ buttons, shortcuts, inFields }) {
    for (const [name, action] of Object.entries(buttons))
      document.querySelector(`[data-do="${name}"]`).addEventListener("click", (event) => {
        event.currentTarget.closest("details")?.removeAttribute("open");
        action();
      });
    openShortcuts = newShortcutsDialog(shortcuts);
    bindShortcuts(shortcuts, { inFields });
  }

  // The timecode under the playhead, where nobody is typing one.
  const place = byId("timecode");
  const isTyped = place.matches("input");
  function showPlace() {
    const text = timecode(player.position(), model.state.frame_rate);
    if (!isTyped) setText(place, text);
    else if (document.activeElement !== place) place.value = text;
  }

  // frame(now, at, reading): every frame, with the sample under the playhead; ready(): once the fonts are there.
  function run({ frame, ready }) {
    const playButton = byId("play-shape").closest("button");
    function tick(now) {
      const reading = player.reading();
      frame(now, player.position(), reading);
      showPlace();
      showLoudness(reading);
      showPlaying(playButton, player.isOn);
      requestAnimationFrame(tick);
    }
    document.fonts.ready.then(() => {
      ready();
      page.dataset.ready = "true";
    });
    follow();
    requestAnimationFrame(tick);
    window.recitantEdits = queue; // for tests: whether everything that was pressed has reached the server
  }

  return { say, api, queue, edit, player, follow, actions, bind, run, showPlace };
}
