// The first balance: what is chosen before, how far it is, and what each step came to.

import { button, make } from "../lib/dom.js";
import { gainOf } from "./drawn.js";
import { clipsByTime } from "./model.js";

export function newFirstBalance({ desk, model, edit, view, goTo }) {
  const dialog = document.getElementById("first-balance");
  const form = dialog.querySelector("form");
  document.querySelector('[data-do="first-balance"]').addEventListener("click", () => {
    form.part.disabled = view().isWhole;
    showDoubts();
    dialog.showModal();
  });
  dialog.querySelector('[data-do="close"]').addEventListener("click", () => dialog.close());
  form.addEventListener("submit", (event) => {
    event.preventDefault();
    dialog.close();
    const value = (name) => form.elements[name].value;
    const steps = [...form.querySelectorAll('[name="step"]:checked')].map((box) => box.value);
    const span = form.part.checked && !form.part.disabled ? view() : { start: 0, end: 0 };
    const choices = {
      music: value("music"),
      effects: value("effects"),
      ducking: value("ducking"),
      leads: value("leads"),
      performance: value("performance"),
      steps,
      from_sample: Math.round(span.start),
      to_sample: Math.round(span.end),
    };
    edit(choices, { url: desk.dataset.first });
  });

  // What looks like a mistake, with the press that helps; nothing keeps anybody from balancing all the same.
  function showDoubts() {
    const box = dialog.querySelector("#doubts");
    const presses = {
      arrange: () => window.location.assign(desk.dataset.arrange),
      intake: () => window.location.assign(desk.dataset.intake),
    };
    const isHeard = !model.state.clearance.is_listening;
    const found = model.state.doubts.filter((doubt) => isHeard || doubt.code !== "no-speech");
    const rows = found.map((doubt) => {
      const [spare, kept] = doubt.clip_ids;
      const mended = async (change) => {
        await edit(change);
        showDoubts();
      };
      const exclude = () => mended({ kind: "in-mix", ids: [spare], is_out: true });
      // Recordings that do not lie in step yet are put in step by their sound.
      const kind = { doubled: "takes-gather", "same-moment": "takes-in-step" }[doubt.code];
      const hold = () => mended({ kind, ids: [kept, spare] });
      const ways = [button(doubt.label, presses[doubt.press] || exclude, { className: "act" })];
      if (kind)
        ways.unshift(
          button("Hold as takes", hold, {
            className: "act",
            title: "One clip; the other recording is kept, not heard",
          }),
        );
      return make("p", { className: "note" }, make("span", { textContent: `▲ ${doubt.words} ` }), ...ways);
    });
    box.replaceChildren(...rows);
  }

  // A stem that would need more than it was raised by is raised further only when somebody says so.
  const offers = (step) =>
    step.is_in_force
      ? (step.offers || []).map((offer) =>
          button(
            offer.words,
            () =>
              edit((state) => {
                const now = gainOf(state, "stem", offer.role);
                return now === null
                  ? null
                  : { kind: "gain", target: "stem", id: offer.role, gain_db: String(now + offer.by_db) };
              }),
            { className: "act" },
          ),
        )
      : [];

  // A step that changed nothing tells of the balance as it stands.
  const isOfNow = (step) => step.is_in_force || !step.edit_id;

  // Sounds that are not speech, out of dialogue in one press.
  const sendSounds = (step) => {
    const clips = clipsByTime(model);
    const isThere = ({ id, start_sample: start, length_samples: length }) =>
      clips.some(
        (clip) =>
          String(clip.id) === id &&
          clip.start_sample <= start &&
          start + length <= clip.start_sample + clip.length_samples,
      );
    const places = (isOfNow(step) ? step.changes : [])
      .filter((change) => change.what === "sound")
      .map(({ clip_id: id, at_sample, length_samples }) => ({ id, start_sample: at_sample, length_samples }))
      .filter(isThere);
    if (!places.length) return [];
    const all = places.length === 1 ? "the sound" : `all ${places.length} sounds`;
    return ["effects", "atmosphere"].map((role) =>
      button(`Send ${all} to ${role}`, () => edit({ kind: "sounds-to", places, role }), {
        className: "act",
        title: "Cut out of the dialogue clips, on a track of their own",
      }),
    );
  };

  const changed = (step, words, index) =>
    make(
      "li",
      {},
      `${words} `,
      ["performance", "sound"].includes(step.changes[index]?.what)
        ? button("Go to it", () => goTo(Math.max(0, step.changes[index].at_sample - 48_000)), { className: "quiet" })
        : null,
      ...((isOfNow(step) && step.acts?.[index]) || []).map((act) =>
        button(act.words, () => edit(act.edit), { className: "quiet" }),
      ),
    );

  function show() {
    const box = document.getElementById("balance-report");
    const run = model.state.balance_run;
    const opener = document.querySelector('[data-do="first-balance"]');
    opener.disabled = Boolean(run && run.is_open) || !model.state.length_samples;
    opener.textContent = run && run.is_open ? `Balancing ${Math.round(100 * run.share)} %` : "First balance…";
    box.hidden = !run;
    if (!run) return;
    const key = `${run.id} ${run.is_open} ${Math.round(100 * run.share)} ${run.steps.map((s) => s.is_in_force).join()} ${model.state.revision}`;
    if (box.dataset.key === key) return;
    box.dataset.key = key;
    if (run.is_open) {
      box.replaceChildren(
        make("h2", { textContent: "First balance" }),
        make("progress", { value: run.share, max: 1 }),
        make("p", {
          className: "soft mb-0",
          textContent: "You can go on listening. If you change something meanwhile, start it again.",
        }),
      );
      return;
    }
    if (!run.steps.length) {
      box.replaceChildren(
        make("h2", { textContent: "First balance" }),
        make("p", { className: "mb-0", textContent: run.sentence || "It did not come to an end. Start it again." }),
      );
      return;
    }
    const open = new Set([...box.querySelectorAll("li > details[open]")].map((one) => one.className));
    const steps = run.steps.map((step) =>
      make(
        "li",
        { className: step.edit_id && !step.is_in_force ? "undone" : "" },
        make("b", { textContent: step.title }),
        make("p", { className: "mb-0", textContent: step.measured_words }),
        step.changed_words.length
          ? make(
              "details",
              { className: `of-${step.step}`, open: open.has(`of-${step.step}`) },
              make("summary", {
                className: "soft",
                textContent: `${step.changed_words.length} change${step.changed_words.length === 1 ? "" : "s"}`,
              }),
              make(
                "ul",
                { className: "changes" },
                ...step.changed_words.map((words, index) => changed(step, words, index)),
              ),
            )
          : make("p", { className: "soft mb-0", textContent: "Nothing needed to change." }),
        make("p", { className: "soft mb-0", textContent: step.why }),
        ...offers(step),
        ...sendSounds(step),
        step.edit_id
          ? step.is_in_force
            ? button("Take this step back", () => edit({ kind: "step-back", edit_id: step.edit_id }), {
                className: "quiet",
              })
            : make("span", { className: "soft", textContent: "Undone." })
          : null,
      ),
    );
    const wasOpen = box.querySelector("details.told")?.open ?? true;
    const all = make(
      "details",
      { className: "told", open: wasOpen },
      make("summary", { textContent: run.sentence }),
      make("ol", {}, ...steps),
    );
    const undoAll =
      run.undo_to === null
        ? null
        : make(
            "div",
            { className: "acts" },
            button("Undo all of it", () => edit({ kind: "go-to", edit_id: run.undo_to }), { className: "act" }),
          );
    box.replaceChildren(make("h2", { textContent: "First balance" }), ...(undoAll ? [undoAll] : []), all);
  }

  return { show };
}
