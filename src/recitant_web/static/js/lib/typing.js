// Which field is being typed into, from its first input until it is left or its value is taken.

// A field of this box into which somebody is typing: the box is not rebuilt meanwhile.
export function isTyping(box) {
  const active = document.activeElement;
  return Boolean(active && box.contains(active) && active.dataset.isTyped);
}

document.addEventListener("input", (event) => {
  if (event.target.matches("input:not([type=range]):not([type=checkbox]), textarea"))
    event.target.dataset.isTyped = "1";
});
document.addEventListener(
  "change",
  (event) => {
    delete event.target.dataset.isTyped;
  },
  true,
);
document.addEventListener("focusout", (event) => {
  delete event.target.dataset.isTyped;
});
