// The shortcuts of a page, in one table: it says what each does, handles it, and draws the list that people read.
//
// table: [{ title, rows: [{ shown, words, run }] }]. shown and words are read; run holds what is done by combination:
// "l", "Y", "ArrowUp", "shift+ArrowUp", "alt+m", "ctrl+z", "ctrl+shift+z". A letter with shift is its capital. A row with
// within, a selector, works only while what has the focus lies in it, and goes before rows without one; a row without run
// tells of something that the pointer does.

import { make } from "./dom.js";

const FIELDS = "input:not([type=checkbox]):not([type=range]):not([type=radio]):not([type=button]), select, textarea";
const PRESSABLE = "button, summary, a, video, [role=button]";

export const rowsOf = (table) => table.flatMap((section) => section.rows);

// The combination that an event stands for. AltGr writes a character, it is no modifier.
export function combinationOf(event) {
  const isWritten = event.getModifierState?.("AltGraph");
  const isCtrl = (event.ctrlKey || event.metaKey) && !isWritten;
  const isAlt = event.altKey && !isWritten;
  const key = isCtrl ? event.key.toLowerCase() : event.key;
  const isShift = event.shiftKey && (isCtrl || key.length > 1);
  return [isCtrl && "ctrl", isAlt && "alt", isShift && "shift", key].filter(Boolean).join("+");
}

// Whether what has the focus needs a key itself.
export function isKept(target, key) {
  if (target.matches(FIELDS) || target.isContentEditable) return true;
  const isArrow = key.startsWith("Arrow");
  if (target.matches("input, [role=tab]") && isArrow) return true;
  return (key === " " || key === "Enter") && target.matches(`input, ${PRESSABLE}`);
}

// What is done for an event; null where nothing is. inFields: combinations that work in a field too.
export function actionFor(table, event, inFields = []) {
  const combination = combinationOf(event);
  if (isKept(event.target, event.key) && !inFields.includes(combination)) return null;
  const rows = rowsOf(table).filter((row) => row.run);
  const ordered = [
    ...rows.filter((row) => row.within && event.target.closest(row.within)),
    ...rows.filter((row) => !row.within),
  ];
  return ordered.map((row) => row.run[combination]).find(Boolean) || null;
}

// Handles every key of a table, but while a dialog is open.
export function bindShortcuts(table, { inFields = [] } = {}) {
  for (const { words, run } of rowsOf(table))
    for (const [key, action] of Object.entries(run || {}))
      if (typeof action !== "function") throw new TypeError(`${key}, ${words}: nothing is done`);
  document.addEventListener("keydown", (event) => {
    if (document.querySelector("dialog[open]")) return;
    const action = actionFor(table, event, inFields);
    if (!action) return;
    event.preventDefault();
    action();
  });
}

function drawnRows(rows) {
  const body = make("tbody");
  for (const { shown, words } of rows) {
    const row = body.insertRow();
    Object.assign(row.insertCell(), { className: "mono", textContent: shown });
    row.insertCell().textContent = words;
  }
  return body;
}

// The list of a table without titles, in the table element that stands for it.
export function drawShortcuts(element, table) {
  element.replaceChildren(drawnRows(rowsOf(table)));
}

// A function that shows the list of a table in a dialog, a section for each title.
export function newShortcutsDialog(table) {
  const form = make("form", { method: "dialog" }, make("button", { className: "quiet", textContent: "Close" }));
  const sections = table.map(({ title, rows }) =>
    make("section", {}, make("h3", { textContent: title }), make("table", { className: "plain" }, drawnRows(rows))),
  );
  const dialog = make(
    "dialog",
    { id: "keys", ariaLabel: "Keys" },
    make("header", {}, make("h2", { textContent: "Keys" }), form),
    make("div", { className: "keys" }, ...sections),
  );
  return () => {
    if (!dialog.isConnected) document.querySelector("main").append(dialog);
    dialog.showModal();
  };
}
