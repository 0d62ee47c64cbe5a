// A small menu under a button: opened by a press, gone through by arrow keys, closed by Escape or a press elsewhere.

import { make } from "./dom.js";

// items: [text, action, properties] each; null draws a line.
export function menuButton(text, label, items, properties = {}) {
  const opener = make("button", { type: "button", textContent: text, className: "quiet", title: label, ...properties });
  opener.setAttribute("aria-label", label);
  opener.setAttribute("aria-haspopup", "menu");
  opener.addEventListener("click", () => openMenu(opener, typeof items === "function" ? items() : items, label));
  return opener;
}

function openMenu(opener, items, label) {
  const menu = make("div", { className: "menu", role: "menu" });
  menu.setAttribute("role", "menu");
  menu.setAttribute("aria-label", label);
  for (const item of items) {
    if (!item) {
      menu.append(make("hr"));
      continue;
    }
    const [text, action, properties = {}] = item;
    const entry = make("button", { type: "button", textContent: text, tabIndex: -1, ...properties });
    entry.setAttribute("role", "menuitem");
    entry.addEventListener("click", () => {
      close();
      action();
    });
    menu.append(entry);
  }
  const entries = () => [...menu.querySelectorAll("button:not(:disabled)")];
  function close() {
    menu.remove();
    document.removeEventListener("pointerdown", outside, true);
    if (opener.isConnected) opener.focus();
  }
  function outside(event) {
    if (!menu.contains(event.target)) close();
  }
  menu.addEventListener("keydown", (event) => {
    const all = entries();
    const at = all.indexOf(document.activeElement);
    const to = { ArrowDown: at + 1, ArrowUp: at - 1, Home: 0, End: -1 }[event.key];
    event.stopPropagation();
    if (event.key === "Escape" || event.key === "Tab") close();
    else if (to !== undefined) all.at(to % all.length).focus();
    else return;
    event.preventDefault();
  });
  document.addEventListener("pointerdown", outside, true);
  document.body.append(menu);
  const box = opener.getBoundingClientRect();
  const { offsetWidth: width, offsetHeight: height } = menu;
  menu.style.left = `${Math.max(4, Math.min(box.left, window.innerWidth - width - 8))}px`;
  menu.style.top = `${box.bottom + height > window.innerHeight ? Math.max(4, box.top - height) : box.bottom}px`;
  entries()[0]?.focus();
}

// One tab stop for a row of buttons; arrow keys go from one to the next.
export function asToolbar(box, label) {
  box.setAttribute("role", "toolbar");
  box.setAttribute("aria-label", label);
  const buttons = () => [...box.querySelectorAll("button")];
  buttons().forEach((button, index) => (button.tabIndex = index ? -1 : 0));
  box.addEventListener("keydown", (event) => {
    const by = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
    if (!by) return;
    const all = buttons();
    const next = all.at((all.indexOf(document.activeElement) + by) % all.length);
    for (const button of all) button.tabIndex = button === next ? 0 : -1;
    next.focus();
    event.preventDefault();
    event.stopPropagation();
  });
}
