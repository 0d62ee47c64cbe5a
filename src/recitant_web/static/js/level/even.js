// Clips evened out: what to bring the chosen clips to, how far, and what that will do, before it is done.

import { make } from "../lib/dom.js";
import { gainText, signed } from "../lib/units.js";
import { chosenIds, rowOf } from "./model.js";

export function newEven({ dialog, model, api, url, edit, say }) {
  const form = dialog.querySelector("form");
  const table = dialog.querySelector("tbody");
  const words = dialog.querySelector("[data-even-words]");
  let timer = null;

  const options = () => ({
    goal: form.goal.value,
    by: form.by.value,
    strength_percent: form.strength.value,
    most_change_db: form.most.value,
    is_group: form.group.checked,
  });

  async function foretell() {
    form.querySelector("output").textContent = `${form.strength.value} %`;
    const ids = chosenIds(model);
    try {
      const { steps } = await api.post(url, { ids, options: options() });
      table.replaceChildren(
        ...steps.map((step) => {
          const row = rowOf(model, step.id);
          return make(
            "tr",
            {},
            make("td", { textContent: row ? row.name : "" }),
            make("td", { className: "n mono", textContent: gainText(step.change_db) }),
            make("td", { className: "n mono", textContent: gainText(step.gain_db) }),
            make("td", {
              className: "n mono",
              textContent: step.noise_lufs === null ? "–" : signed(step.noise_lufs, 0),
            }),
            make("td", {
              className: `n mono${step.peak_db > 0 ? " over" : ""}`,
              textContent: step.peak_db === null ? "…" : signed(step.peak_db),
            }),
            make("td", { className: "soft", textContent: step.held_by }),
          );
        }),
      );
      const left = ids.length - steps.length;
      const noisy = steps
        .filter((step) => step.noise_lufs !== null && step.noise_lufs > -45 && step.change_db > 1)
        .map((step) => rowOf(model, step.id)?.name);
      words.textContent = [
        left ? `${left} cannot be measured and stay as they are.` : "",
        noisy.length ? `Lifts the noise of ${noisy.slice(0, 3).join(", ")} over −45.` : "",
        "Outliers and what is no speech are left out of the measure.",
      ]
        .join(" ")
        .trim();
    } catch (error) {
      words.textContent = error.message;
    }
  }

  form.addEventListener("input", () => {
    clearTimeout(timer);
    timer = setTimeout(foretell, 160);
  });
  form.addEventListener("submit", async (event) => {
    event.preventDefault();
    const done = await edit({ kind: "even-out", ids: chosenIds(model), options: options() });
    if (done) dialog.close();
  });
  form.querySelector('[data-do="follow"]').addEventListener("click", async () => {
    const done = await edit({ kind: "ride-clips", ids: chosenIds(model), strength: form.strength.value, most_db: 8 });
    if (done) {
      dialog.close();
      say("The curves are on the clips: Arrange shows them, point by point.");
    }
  });
  dialog.querySelector('[data-do="close"]').addEventListener("click", () => dialog.close());

  return {
    open() {
      const ids = chosenIds(model);
      const row = rowOf(model, ids[0]);
      if (!row) {
        say("Choose clips first.");
        return;
      }
      form.goal.value = signed(row.aim_lufs, 0);
      dialog.querySelector("h2").textContent = `Even out ${ids.length === 1 ? row.name : `${ids.length} clips`}`;
      dialog.showModal();
      foretell();
    },
  };
}
