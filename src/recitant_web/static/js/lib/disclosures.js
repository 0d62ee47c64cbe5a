// Small menus that are disclosures: a press elsewhere or Escape closes them.

const open = () => document.querySelectorAll("details.more[open]");

document.addEventListener("pointerdown", (event) => {
  for (const one of open()) if (!one.contains(event.target)) one.open = false;
});
document.addEventListener("keydown", (event) => {
  if (event.key !== "Escape") return;
  for (const one of open()) {
    one.open = false;
    one.querySelector("summary").focus();
  }
});
