// The lists beside the text: lost words with their cures, captions with what they break, and places in other programmes.

import { button, make } from "../lib/dom.js";
import { RATE_HZ, clock, signed } from "../lib/units.js";

// Caption files that can be written, by ending.
const FORMS = [
  ["srt", "SRT"],
  ["vtt", "WebVTT"],
  ["ttml", "IMSC (TTML)"],
];
function exportLink([form, words]) {
  const { export: address } = document.getElementById("words").dataset;
  const link = make("a", { href: address.replace("FORM", form), textContent: words });
  link.download = "";
  return link;
}

export function newSide({ panel, tools, tabs, model, actions }) {
  let editing = null; // id of the caption whose text is being typed

  function show() {
    for (const tab of tabs) {
      tab.setAttribute("aria-selected", String(tab.dataset.panel === model.panel));
      tab.tabIndex = tab.dataset.panel === model.panel ? 0 : -1;
    }
    const { lost, captions } = model.state;
    tabs[0].querySelector("small").textContent = lost.is_heard && lost.can_judge ? lost.n_lost : "";
    tabs[1].querySelector("small").textContent = captions.length || "";
    tabs[2].hidden = !model.found.length;
    tabs[2].querySelector("small").textContent = model.found.length || "";
    panel.setAttribute("aria-labelledby", `tab-${model.panel}`);
    if (editing !== null && panel.contains(document.activeElement)) return;
    editing = null;
    tools.replaceChildren(...(model.panel === "captions" ? captionTools() : model.panel === "lost" ? lostTools() : []));
    panel.replaceChildren(
      ...(model.panel === "captions" ? captionRows() : model.panel === "lost" ? lostRows() : foundRows()),
    );
  }

  function progress(work, words) {
    const bar = make("div", { className: "bar", role: "progressbar" }, make("i"));
    bar.setAttribute("aria-label", words);
    bar.setAttribute("aria-valuenow", Math.round(work.share * 100));
    bar.firstChild.style.width = `${work.share * 100}%`;
    const stop = button("Stop", () => actions.work({ kind: "stop" }), { className: "quiet" });
    return make(
      "div",
      { className: "working" },
      make("span", { textContent: words }),
      bar,
      make("span", { className: "mono soft", textContent: `${Math.round(work.share * 100)} %` }),
      make("span", { className: "soft", textContent: work.note, hidden: !work.note }),
      stop,
    );
  }

  function lostTools() {
    const { hearing, lost } = model.state;
    if (hearing.listening.is_open || hearing.missing) return [];
    const words = lost.is_heard ? "Listen again" : "Listen to the mix";
    return [button(words, () => actions.work({ kind: "listen" }), { className: lost.is_current ? "act" : "act go" })];
  }

  function lostRows() {
    const { lost, hearing } = model.state;
    const rows = [];
    if (hearing.missing) rows.push(make("p", { className: "soft", textContent: hearing.missing }));
    if (hearing.listening.is_open) rows.push(progress(hearing.listening, "Listening to mix and dialogue"));
    if (hearing.listening.sentence)
      rows.push(make("p", { className: "over", textContent: `▲ ${hearing.listening.sentence}` }));
    if (!lost.is_heard) {
      const words =
        "The finished mix is heard by the model as a listener would, and compared word for word with the dialogue alone. Words that it hears only there are listed here. An aid, not a measurement of people.";
      rows.push(make("p", { className: "soft", textContent: words }));
      return rows;
    }
    const old = lost.is_current ? "" : " Heard before the last edits: listen again, which takes only what changed.";
    rows.push(make("p", { className: lost.can_judge ? "" : "over", textContent: `${lost.sentence}${old}` }));
    for (const passage of lost.passages) rows.push(lostRow(passage));
    return rows;
  }

  function lostRow(passage) {
    const at = button(clock(passage.from), () => actions.seek(Math.max(0, passage.from - 24000)), {
      className: "as-link mono",
    });
    const title = make("b", { textContent: `“${passage.text}”` });
    const head = make("div", { className: "lost-head" }, title, at);
    if (passage.is_accepted) {
      head.append(make("span", { className: "soft", textContent: "meant so" }));
      const back = button("count it again", () => actions.unaccept(passage), { className: "as-link" });
      return make("div", { className: "lost-row is-accepted" }, head, back);
    }
    const words = make("p", { className: "soft", textContent: `${passage.sentence} ${passage.cause}` });
    // What will be enough comes first; what only helps is no first choice.
    const ordered = [...passage.cures].sort((a, b) => Number(b.cures) - Number(a.cures)).slice(0, 3);
    const cures = ordered.map((cure, k) =>
      button(cure.words, () => actions.cure(passage, cure), {
        className: k === 0 && cure.cures ? "act go" : "act",
        title: cure.cures ? "Will probably be enough" : "Helps, but will hardly be enough alone",
      }),
    );
    const accept = button("It is meant so", () => actions.cure(passage, { code: "accept", target_id: "0", by_db: 0 }), {
      className: "act",
    });
    const hear = button("Hear", () => actions.hearAround(passage), {
      className: "act",
      title: "Plays from a second before",
    });
    return make(
      "div",
      { className: "lost-row note" },
      head,
      words,
      make("div", { className: "acts" }, ...cures, hear, accept),
    );
  }

  function captionTools() {
    const { captions } = model.state;
    const files = make("details", { className: "more" }, make("summary", { className: "quiet", textContent: "files" }));
    const menu = make("div", { className: "menu" });
    if (captions.length) menu.append(...FORMS.map(exportLink), make("hr"));
    menu.append(button("Bring in a caption file…", actions.importCaptions));
    files.append(menu);
    const n = captions.filter((row) => row.broken.length).length;
    const all = n
      ? [button(`Put ${n} right`, () => actions.edit({ kind: "captions-mend" }), { className: "act" })]
      : [];
    return [
      ...all,
      button("Name sounds", () => actions.edit({ kind: "captions-sounds" }), {
        className: "quiet",
        title: "Captions from the names of the effects, where none is shown",
      }),
      button("Rules…", actions.rules, { className: "quiet" }),
      files,
      button(captions.length ? "Make anew…" : "Make captions…", actions.makeCaptions, {
        className: captions.length ? "act" : "act go",
      }),
    ];
  }

  function captionRows() {
    const { captions, rules } = model.state;
    if (!captions.length) {
      const words = `No captions yet. They are made from the words: at most ${rules.most_lines} lines of ${rules.most_characters} characters, ${rules.most_characters_s} characters a second, on frames of the picture.`;
      return [make("p", { className: "soft", textContent: words })];
    }
    return captions.map(captionRow);
  }

  function captionRow(row) {
    const at = button(clock(row.from), () => actions.seek(row.from), { className: "as-link mono" });
    const text = make("p", { className: "cue-text", dir: "auto", textContent: row.text, tabIndex: 0 });
    text.setAttribute("role", "button");
    text.setAttribute("aria-label", `Caption: ${row.text}. Enter types over it.`);
    const type = () => typeOver(row, text);
    text.addEventListener("dblclick", type);
    text.addEventListener("keydown", (event) => {
      if (event.key !== "Enter") return;
      event.preventDefault();
      type();
    });
    const speed = make("span", {
      className: `mono small ${row.broken.length ? "over" : "soft"}`,
      textContent: `${signed((row.to - row.from) / RATE_HZ, 1)} s  ${Math.round(row.cps)} c/s`,
    });
    const broken = row.broken.map((words) => make("span", { className: "over small", textContent: `▲ ${words}` }));
    const mend = row.broken.length
      ? [button("put right", () => actions.edit({ kind: "captions-mend", ids: [row.id] }), { className: "as-link" })]
      : [];
    const split = button("split", () => actions.split(row), { className: "as-link" });
    const join = button("join", () => actions.edit({ kind: "caption-join", id: row.id }), {
      className: "as-link",
      title: "Join with the next",
    });
    const remove = button("remove", () => actions.edit({ kind: "captions-remove", ids: [row.id] }), {
      className: "as-link",
    });
    const line = make("div", { className: "cue-tools" }, speed, ...broken, ...mend, split, join, remove);
    const element = make(
      "div",
      { className: `cue-row${row.id === model.caption ? " is-chosen" : ""}` },
      at,
      make("div", {}, text, line),
    );
    element.dataset.cue = row.id;
    element.addEventListener("pointerdown", () => actions.markCaption(row.id));
    return element;
  }

  function typeOver(row, text) {
    editing = row.id;
    const field = make("textarea", {
      className: "cue-field",
      value: row.text,
      rows: Math.max(2, row.text.split("\n").length),
    });
    field.setAttribute("aria-label", "Text of the caption; enter begins another line, control and enter keeps it");
    text.replaceWith(field);
    field.focus();
    let isOver = false;
    const end = (isKept) => {
      if (isOver) return;
      isOver = true;
      editing = null;
      if (isKept && field.value.trim() !== row.text)
        actions.edit({ kind: "caption-set", id: row.id, text: field.value });
      show();
    };
    field.addEventListener("keydown", (event) => {
      event.stopPropagation();
      if (event.key === "Escape") end(false);
      else if (event.key === "Enter" && (event.ctrlKey || event.metaKey)) end(true);
    });
    field.addEventListener("blur", () => end(true));
  }

  function foundRows() {
    return model.found.map((row) => {
      const link = make("a", { href: `../${row.programme}/words#at=${row.at}`, textContent: row.title });
      const words = make("span", { textContent: `… ${row.text} …` });
      return make(
        "div",
        { className: "found-row" },
        link,
        make("span", { className: "mono soft", textContent: clock(row.at) }),
        words,
      );
    });
  }

  for (const tab of tabs) {
    tab.addEventListener("click", () => {
      model.panel = tab.dataset.panel;
      show();
    });
  }
  tabs[0].parentElement.addEventListener("keydown", (event) => {
    const step = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
    if (!step || !event.target.closest('[role="tab"]')) return;
    const there = tabs.filter((tab) => !tab.hidden);
    const next =
      there[(there.findIndex((tab) => tab.dataset.panel === model.panel) + step + there.length) % there.length];
    model.panel = next.dataset.panel;
    show();
    next.focus();
  });

  return {
    show,
    progress,
    revealCaption: (id) => panel.querySelector(`[data-cue="${id}"]`)?.scrollIntoView({ block: "nearest" }),
  };
}
