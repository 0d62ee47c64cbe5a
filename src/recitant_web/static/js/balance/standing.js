// How the balance stands, in figures with a mark each, and the programme gain at the foot.

import { make } from "../lib/dom.js";
import { gainText } from "../lib/units.js";

export function showStanding(model, edit) {
  const rows = model.state.judgement.map((line) =>
    make(
      "div",
      { className: "standing-line" },
      make("span", { className: "soft", textContent: line.name }),
      make("b", { className: "mono", textContent: line.value }),
      make("span", { className: line.is_good ? "within" : "over", textContent: line.is_good ? "✓" : "▲" }),
      make("small", { className: "soft", textContent: line.remark }),
    ),
  );
  document.getElementById("standing").replaceChildren(...rows);
  const box = document.getElementById("programme-gain");
  if (document.activeElement !== box) box.value = gainText(model.state.programme_gain_db);
  box.onchange = () => edit({ kind: "programme-gain", gain_db: box.value });
}
