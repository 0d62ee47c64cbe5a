// Dialogs of the Words page: hearing, people, names and terms, captions and their rules.

import { button, make } from "../lib/dom.js";
import { byId } from "../lib/page.js";
import { RATE_HZ, clock } from "../lib/units.js";
import { LEFT_OUT } from "./model.js";

// The text of a caption file without its numbers and times.
const withoutTimes = (text) =>
  text
    .split(/\r?\n/)
    .filter((line) => !/-->|^\d+$|^WEBVTT/.test(line.trim()))
    .join("\n")
    .replace(/<[^>]*>/g, "");

export function newDialogs({ model, actions }) {
  for (const close of document.querySelectorAll("dialog [data-close]"))
    close.addEventListener("click", () => close.closest("dialog").close());

  const number = (text) => (text.trim() ? Number(text.trim()) || 0 : null);

  // Sends a form of a dialog and closes it; what is refused is said in the dialog, and what was typed stays.
  function bind(id, send) {
    const dialog = byId(id);
    const form = dialog.querySelector("form");
    form.addEventListener("submit", async (event) => {
      event.preventDefault();
      const words = form.querySelector("[data-words]");
      try {
        await send(form);
        dialog.close();
      } catch (error) {
        if (words) words.textContent = `▲ ${error.message}`;
        else actions.say(error.message);
      }
    });
    return (fill) => {
      const words = form.querySelector("[data-words]");
      if (words) words.textContent = "";
      fill(form);
      dialog.showModal();
    };
  }

  const openHear = bind("hear-dialog", (form) =>
    actions.work({
      kind: "hear",
      language: form.language.value.trim(),
      n_speakers: number(form.n_speakers.value),
      is_again: form.again.checked,
    }),
  );
  const openGlossary = bind("glossary-dialog", (form) => actions.work({ kind: "glossary", text: form.text.value }));
  const openCaptions = bind("captions-dialog", (form) =>
    actions.edit({ kind: "captions-make", speakers: form.speakers.value }),
  );
  const RULES = ["most_characters", "most_lines", "most_characters_s", "least_s", "most_s", "gap_frames"];
  const openRules = bind("rules-dialog", (form) =>
    actions.edit({ kind: "caption-rules", ...Object.fromEntries(RULES.map((name) => [name, form[name].value])) }),
  );

  let given = []; // the words that somebody new says
  const openSomebody = bind("somebody-dialog", (form) =>
    actions.mustEdit({ kind: "words-speaker", stretches: given, name: form.name.value.trim() }),
  );
  const openScript = bind("script-dialog", (form) => actions.mustEdit({ kind: "words-script", text: form.text.value }));
  byId("script-dialog")
    .querySelector('[type="file"]')
    .addEventListener("change", async (event) => {
      const [file] = event.target.files;
      if (file) event.target.form.text.value = withoutTimes(await file.text());
    });

  const openChapters = bind("chapters-dialog", (form) => {
    const rows = [...form.querySelectorAll("[data-at]")].filter((row) => row.querySelector("input").checked);
    const chapters = rows.map((row) => ({
      at_sample: Number(row.dataset.at),
      text: row.querySelector('[type="text"]').value,
    }));
    return actions.mustEdit({ kind: "chapters", chapters });
  });

  function showProposed(chapters) {
    byId("proposed").replaceChildren(
      ...chapters.map((one) => {
        const tick = make("input", { type: "checkbox", checked: true });
        const title = make("input", { type: "text", className: "gain wide", value: one.text, maxLength: 120 });
        title.setAttribute("aria-label", `Title of the chapter at ${clock(one.at_sample)}`);
        const at = make("span", { className: "mono", textContent: clock(one.at_sample) });
        const row = make("div", { className: "proposed" }, make("label", { className: "tick" }, tick, at), title);
        row.dataset.at = one.at_sample;
        return row;
      }),
    );
  }

  function showPeople() {
    const body = document.querySelector("#people tbody");
    if (body.contains(document.activeElement) && document.activeElement.dataset.isTyped) return;
    const { speakers } = model.state;
    byId("n-people").value = model.state.hearing.n_speakers ?? "";
    body.replaceChildren(
      ...speakers.map((speaker) => {
        const name = make("input", { type: "text", className: "gain wide", value: speaker.name, maxLength: 80 });
        name.setAttribute("aria-label", `Name of ${speaker.name}`);
        name.addEventListener("change", () => {
          if (name.value.trim())
            actions.edit({ kind: "speaker-name", speaker_id: speaker.id, name: name.value.trim() });
          else name.value = speaker.name;
        });
        const same = make(
          "select",
          { className: "plain-select" },
          make("option", { value: "", textContent: "nobody else" }),
        );
        same.setAttribute("aria-label", `${speaker.name} is the same as`);
        for (const other of speakers)
          if (other.id !== speaker.id) same.append(make("option", { value: other.id, textContent: other.name }));
        same.addEventListener("change", () =>
          actions.edit({ kind: "speaker-merge", speaker_id: speaker.id, into_id: same.value }),
        );
        return make(
          "tr",
          {},
          make("td", {}, name),
          make("td", { className: "n mono", textContent: speaker.n_words }),
          make("td", {}, same),
        );
      }),
    );
    if (!speakers.length)
      body.append(
        make("tr", {}, make("td", { colSpan: 3, className: "soft", textContent: "Nobody yet. Hear the words first." })),
      );
  }
  // A track of singing, say, has no place in text and captions.
  function showTracks() {
    const { tracks, length_samples: length } = model.state;
    const ticks = tracks.map((track) => {
      const tick = make("input", { type: "checkbox", checked: !track.is_out });
      tick.addEventListener("change", () => {
        const stretches = [{ track_id: track.id, from_sample: 0, to_sample: length }];
        actions.edit({ kind: "words-leave-out", stretches, is_left_out: !tick.checked });
      });
      return make("label", { className: "tick" }, tick, make("span", { textContent: track.name }));
    });
    byId("text-tracks").replaceChildren(make("legend", { textContent: "Tracks in the text" }), ...ticks);
  }
  byId("tell-apart").addEventListener("click", async () => {
    try {
      await actions.work({ kind: "speakers", n_speakers: number(byId("n-people").value) });
    } catch (error) {
      actions.say(error.message);
    }
  });

  return {
    hear: () =>
      openHear((form) => {
        form.language.value = model.state.hearing.language;
        form.n_speakers.value = model.state.hearing.n_speakers ?? "";
        form.again.checked = model.state.hearing.n_heard === model.state.hearing.n_recordings;
      }),
    glossary: () => openGlossary((form) => (form.text.value = model.state.hearing.glossary)),
    captions: () =>
      openCaptions((form) => {
        const n = model.state.captions.length;
        const words = n
          ? `The ${n} captions there are replaced; undo brings them back.`
          : "From the words, by the rules of the captions.";
        form.querySelector("[data-lead]").textContent = words;
      }),
    somebody: (stretches) => {
      given = stretches;
      openSomebody((form) => form.reset());
    },
    script: () => openScript((form) => form.reset()),
    chapters: async () => {
      const chapters = await actions.proposedChapters();
      if (chapters) openChapters(() => showProposed(chapters));
    },
    rules: () => openRules((form) => RULES.forEach((name) => (form[name].value = model.state.rules[name]))),
    people: () => {
      showPeople();
      showTracks();
      byId("people-dialog").showModal();
    },
    show: () => {
      if (!byId("people-dialog").open) return;
      showPeople();
      showTracks();
    },
  };
}

// What can be done with the chosen words, or with all fillers or pauses.
export function newChosenBar({ bar, model, actions, chosen, stretches }) {
  function show() {
    const words = chosen();
    const listed = { fillers: model.state.fillers, pauses: model.state.pauses }[model.filter];
    bar.hidden = !words.length && !listed?.length;
    if (bar.hidden || bar.contains(document.activeElement)?.dataset?.isTyped) return;
    bar.replaceChildren(...(words.length ? forChosen(words) : forAll(listed)));
  }

  function forChosen(words) {
    const of = stretches(words);
    const seconds = of.reduce((sum, one) => sum + one.to_sample - one.from_sample, 0) / RATE_HZ;
    const cut = (how) => () => actions.cut(of, how);
    const give = make("select", { className: "plain-select" }, make("option", { value: "", textContent: "give to…" }));
    give.setAttribute("aria-label", "Give the words to");
    for (const speaker of model.state.speakers)
      give.append(make("option", { value: speaker.id, textContent: speaker.name }));
    give.append(make("option", { value: "new", textContent: "somebody new…" }));
    give.addEventListener("change", () => actions.give(of, give.value));
    const count = words.length === 1 ? "1 word" : `${words.length} words`;
    return [
      make("span", { textContent: `${count}, ${seconds.toFixed(2)} s` }),
      button("type over", actions.type, { className: "act" }),
      button("silence", cut("silence"), { className: "act" }),
      button("take out", cut("close"), {
        className: "act",
        title: "Takes them out and closes the gap: the rest of the clip moves up",
      }),
      button("room over it", cut("room"), {
        className: "act",
        title: "Covers them with the quietest stretch beside them",
      }),
      button("tone over it", cut("tone"), { className: "act", title: "Covers them with a tone of 1 kHz" }),
      give,
      leaveOut(words, of),
    ];
  }

  // Words of a song, say: struck out where they stand, and in no caption and no file.
  function leaveOut(words, of) {
    const isOut = words.every((entry) => entry.word[3] & LEFT_OUT);
    return button(
      isOut ? "in the text again" : "not in the text",
      () => actions.edit({ kind: "words-leave-out", stretches: of, is_left_out: !isOut }),
      { className: "quiet" },
    );
  }

  function forAll(listed) {
    const of = listed.map((one) => ({ track_id: one.track_id, from_sample: one.from, to_sample: one.to }));
    const seconds = listed.reduce((sum, one) => sum + one.to - one.from, 0) / RATE_HZ;
    const what = model.filter === "fillers" ? "fillers" : "long pauses, 0.6 s of each left";
    return [
      make("span", { textContent: `${listed.length} ${what}: ${seconds.toFixed(1)} s` }),
      button("hear the next", () => actions.hearNext(listed), {
        className: "act",
        title: "Plays from a second before the next one",
      }),
      ...(model.filter === "fillers"
        ? [button("silence all", () => actions.cut(of, "silence"), { className: "act" })]
        : []),
      button("take all out, close the gaps", () => actions.cut(of, "close"), { className: "act" }),
    ];
  }

  return { show };
}
