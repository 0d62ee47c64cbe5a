// Takes: the recordings that one clip holds for its place. One sounds; they are heard in turn without an edit, and chosen with one.

import { button as plainButton, make } from "../lib/dom.js";
import { RATE_HZ } from "../lib/units.js";

const LEAD_IN_SAMPLES = 24000;
const button = (text, action, properties = {}) => plainButton(text, action, { className: "act", ...properties });

export function newTakeActions({ model, player, edit, say, show }) {
  let turn = null; // { id, index, end, isHeard } while takes are heard in turn

  const held = (id) => {
    const clip = model.clips.get(id);
    return clip?.takes ? clip : null;
  };
  const chosen = () => held([...model.selected][0]);
  const need = () => {
    const clip = chosen();
    if (!clip) say("Choose a clip that holds takes. Several clips over each other become one: Hold as takes.");
    return clip;
  };

  function hear(clip, index) {
    const wasHeard = turn !== null;
    turn = { id: clip.id, index, end: clip.start + clip.length, isHeard: false };
    if (wasHeard) player.stop();
    player.seek(Math.max(0, clip.start - LEAD_IN_SAMPLES));
    player.play();
    show();
  }

  return {
    gatherTakes: () => {
      const ids = [...model.selected];
      edit({ kind: "takes-gather", ids });
    },
    useTake: (id, index) => edit({ kind: "take", id, index }),
    // From what sounds when its turn comes.
    nextTake: (by) => {
      const clip = need();
      if (!clip) return;
      edit((state) => {
        const now = state.clips.get(clip.id);
        if (!now?.takes) return null;
        return { kind: "take", id: clip.id, index: (now.take + by + now.takes.length) % now.takes.length };
      });
    },
    useMicrophone: (id, scope) => edit({ kind: "microphone", id, scope }),
    dropTake: (id, index) => edit({ kind: "take-drop", id, index }),
    takesApart: (id) => edit({ kind: "takes-apart", id }),
    matchTakes: (id) => edit({ kind: "takes-match", id }),
    hearTakes: (id) => {
      const clip = held(id);
      if (turn) {
        turn = null;
        player.stop();
        show();
      } else if (clip) hear(clip, clip.take);
    },
    takeHeard: (id) => (turn?.id === id ? turn.index : null),
    // What the player asks for beside place and length while takes are heard in turn.
    takeParameters: () => {
      const clip = turn && held(turn.id);
      if (!clip || turn.index === clip.take) return {};
      const at = Math.round(clip.start);
      return {
        instead: JSON.stringify({ how: "take", target: "clip", id: turn.id, index: turn.index, at_sample: at }),
      };
    },
    // Called with each frame: from the end of the clip on comes the next take.
    followTakes: (position) => {
      if (!turn) return;
      const clip = held(turn.id);
      turn.isHeard ||= player.isPlaying;
      // At the end of the programme the player may have stopped by itself before this frame.
      if (clip && position >= turn.end) hear(clip, (turn.index + 1) % clip.takes.length);
      else if (!clip || (turn.isHeard && !player.isOn)) {
        turn = null;
        show();
      }
    },
  };
}

// Microphones of a recorder file: the one that sounds, for its scene or for all.
function microphoneRow(clip, actions) {
  const name = clip.takes[clip.take].name.split(", ")[0];
  const row = make("p", { className: "row", hidden: !clip.takes.every((take) => take.name.includes(", ")) });
  row.append(
    button(`${name} in this scene`, () => actions.useMicrophone(clip.id, "scene")),
    button(`${name} everywhere`, () => actions.useMicrophone(clip.id, "all")),
  );
  return row;
}

export function takesBox(clip, model, actions) {
  if (!clip.takes) return "";
  const heard = actions.takeHeard(clip.id);
  const rows = clip.takes.map((take, index) => {
    const source = model.state.sources[take.source];
    const notes = [];
    if (source) notes.push(`${(source.length_samples / RATE_HZ).toFixed(1)} s`);
    if (source?.is_clipped) notes.push("clips");
    const use = button(index === clip.take ? "sounds" : "Use", () => actions.useTake(clip.id, index), {
      className: index === clip.take ? "quiet" : "act",
      disabled: index === clip.take,
      ariaLabel: `Use take ${index + 1}`,
    });
    const drop = button("×", () => actions.dropTake(clip.id, index), {
      className: "quiet",
      disabled: index === clip.take,
      ariaLabel: `Drop take ${index + 1}`,
      title: "No longer a take of this clip; its recording stays",
    });
    const row = make(
      "tr",
      {},
      make("td", { className: "mono", textContent: heard === index ? `▶ ${index + 1}` : String(index + 1) }),
      make("td", { textContent: take.name }),
      make("td", { className: source?.is_clipped ? "over" : "soft", textContent: notes.join(", ") }),
      make("td", { className: "n" }, use, drop),
    );
    if (index === clip.take) row.classList.add("is-now");
    return row;
  });
  return make(
    "section",
    { className: "takes" },
    make("h3", { textContent: `Take ${clip.take + 1} of ${clip.takes.length}` }),
    make("table", { className: "plain" }, make("tbody", {}, ...rows)),
    microphoneRow(clip, actions),
    make(
      "p",
      { className: "row" },
      button(heard === null ? "Hear in turn" : "Stop", () => actions.hearTakes(clip.id), {
        title: "One after the other, at the loudness of the one that sounds",
      }),
      button("Match levels", () => actions.matchTakes(clip.id), { title: "All takes as loud as the one that sounds" }),
      button("Side by side", () => actions.takesApart(clip.id), {
        title: "Each on a track of its own, out of the mix",
      }),
    ),
  );
}
