// What is heard through: loudspeakers, a codec, stand-ins of platforms. A bar says so for as long as it is on.

import { make, setText } from "./dom.js";

// The buttons that choose between the mix and what is handed over; says which is heard.
export function newHeard(onChange) {
  const buttons = [...document.querySelectorAll("[data-hear]")];
  const isPressed = (button) => button.getAttribute("aria-pressed") === "true";
  for (const button of buttons) {
    button.addEventListener("click", () => {
      for (const other of buttons) other.setAttribute("aria-pressed", String(other === button));
      onChange();
    });
  }
  return () => buttons.find(isPressed).dataset.hear;
}

// The choice and its bar; the player comes as a function, since it asks for the parameters.
export function newThrough(player) {
  const select = document.getElementById("through");
  const bar = document.getElementById("through-bar");
  const title = make("b");
  const words = make("span", { role: "status" });
  const own = make("input", { type: "checkbox" });
  const ownLabel = make("label");
  ownLabel.append(own, " as loud as it is there");
  const off = make("button", { type: "button", className: "act", textContent: "Hear the mix itself" });
  bar.append(title, words, ownLabel, off);
  let at = 0;

  function changed() {
    at = Math.round(player().position());
    bar.hidden = !select.value;
    setText(title, select.value ? `Through ${select.selectedOptions[0].textContent}` : "");
    setText(words, "");
    player().refresh();
  }
  select.addEventListener("change", changed);
  own.addEventListener("change", changed);
  off.addEventListener("click", () => {
    select.value = "";
    changed();
  });

  return {
    // For the address of a block. The loudness is compared around the place where the way was chosen.
    parameters: () =>
      select.value ? { through: select.value, through_at: at, ...(own.checked ? { through_level: "own" } : {}) } : {},
    // The readings of a block that came.
    show: (readings) => {
      if (readings.through) setText(words, readings.through);
    },
  };
}
