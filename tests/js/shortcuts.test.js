// The tables of shortcuts, against what is pressed and what people read: node --test tests/js

import assert from "node:assert/strict";
import { test } from "node:test";

import * as arrange from "../../src/recitant_web/static/js/arrange/shortcuts.js";
import * as balance from "../../src/recitant_web/static/js/balance/shortcuts.js";
import * as intake from "../../src/recitant_web/static/js/intake/shortcuts.js";
import * as level from "../../src/recitant_web/static/js/level/shortcuts.js";
import * as words from "../../src/recitant_web/static/js/words/shortcuts.js";
import { actionFor, combinationOf, rowsOf } from "../../src/recitant_web/static/js/lib/shortcuts.js";

const PAGES = { arrange, balance, intake, level, words };
// Each action is known by its name.
const actions = () => {
  const called = [];
  const named = new Proxy(
    {},
    {
      get:
        (_, name) =>
        (...given) =>
          called.push([name, ...given]),
    },
  );
  return { called, named };
};
const tables = Object.entries(PAGES).map(([page, { shortcutsOf }]) => [page, shortcutsOf(actions().named)]);

const READ = {
  " ": "space",
  Enter: "enter",
  Escape: "esc",
  Delete: "del",
  Home: "home",
  End: "end",
  ArrowUp: "↑",
  ArrowDown: "↓",
  ArrowLeft: "←",
  ArrowRight: "→",
  "-": "−",
};
const ALIASES = { Backspace: "Delete", "+": "=", PageUp: "ArrowUp", PageDown: "ArrowDown" };

function target(kind = "body", within = null) {
  return {
    matches: (selector) => selector.split(", ").some((one) => one.split(":")[0] === kind),
    closest: (selector) => (selector === within ? {} : null),
    isContentEditable: false,
  };
}
const event = (key, more = {}) => ({
  key,
  target: target(),
  ctrlKey: false,
  metaKey: false,
  altKey: false,
  shiftKey: false,
  ...more,
});

for (const [page, table] of tables) {
  test(`${page}: what a list says is what its keys are`, () => {
    for (const { shown, words: told, run } of rowsOf(table)) {
      for (const combination of Object.keys(run || {})) {
        const parts = combination === "+" ? ["+"] : combination.split("+");
        const key = ALIASES[parts.at(-1)] || parts.at(-1);
        const isCapital = key.length === 1 && key !== key.toLowerCase();
        const modifiers = parts.slice(0, -1);
        const read = READ[key] || key.toLowerCase();
        // A pair such as ", ." has its keys with shift told in the words.
        const isTold = shown.split(" ").includes(read) || ("<>".includes(key) && told.includes("shift"));
        assert.ok(isTold, `${combination} stands not in "${shown}"`);
        for (const modifier of [...modifiers, ...(isCapital ? ["shift"] : [])])
          assert.ok(shown.includes(modifier) || told.includes(modifier), `${combination}: "${shown}", "${told}"`);
      }
    }
  });

  test(`${page}: no combination means two things at one place`, () => {
    const seen = new Set();
    for (const { within = "", run } of rowsOf(table))
      for (const combination of Object.keys(run || {})) {
        assert.ok(!seen.has(`${within} ${combination}`), combination);
        seen.add(`${within} ${combination}`);
      }
  });

  test(`${page}: every key of the list does something when it is pressed`, () => {
    const { called, named } = actions();
    const own = PAGES[page].shortcutsOf(named);
    for (const { within, run } of rowsOf(own)) {
      for (const combination of Object.keys(run || {})) {
        const parts = combination === "+" ? ["+"] : combination.split("+");
        const pressed = event(parts.at(-1), {
          ctrlKey: parts.includes("ctrl"),
          altKey: parts.includes("alt"),
          shiftKey: parts.includes("shift"),
          target: target("body", within),
        });
        const before = called.length;
        actionFor(own, pressed)();
        assert.equal(called.length, before + 1, combination);
      }
    }
  });

  test(`${page}: undo, redo and play are where they are on every page`, () => {
    const by = (key, more) => actionFor(table, event(key, more));
    if (page !== "intake") {
      assert.ok(by("z", { ctrlKey: true }) && by("Z", { ctrlKey: true, shiftKey: true }));
      assert.notEqual(by("z", { ctrlKey: true }), by("Z", { ctrlKey: true, shiftKey: true }));
    }
    assert.ok(by(" ") && by("?"));
  });
}

test("a letter with shift is its capital, a named key with shift says so", () => {
  assert.equal(combinationOf(event("F", { shiftKey: true })), "F");
  assert.equal(combinationOf(event("ArrowUp", { shiftKey: true })), "shift+ArrowUp");
  assert.equal(combinationOf(event("Z", { metaKey: true, shiftKey: true })), "ctrl+shift+z");
  assert.equal(combinationOf(event("z", { ctrlKey: true })), "ctrl+z");
  assert.equal(combinationOf(event("m", { altKey: true })), "alt+m");
});

test("a character that AltGr writes is that character", () => {
  const written = event("[", { ctrlKey: true, altKey: true, getModifierState: (name) => name === "AltGraph" });
  assert.equal(combinationOf(written), "[");
});

test("what has the focus keeps the keys that it needs", () => {
  const table = balance.shortcutsOf(actions().named);
  const level0 = level.shortcutsOf(actions().named);
  const undo = { ctrlKey: true };
  assert.equal(actionFor(table, event("n", { target: target("textarea") })), null);
  assert.equal(actionFor(table, event("z", { ...undo, target: target("select") })), null);
  assert.ok(actionFor(level0, event("z", { ...undo, target: target("select") }), ["ctrl+z"]));
  assert.equal(actionFor(table, event(" ", { target: target("button") })), null);
  assert.ok(actionFor(table, event("n", { target: target("button") })));
});

test("a key of the sheet works in the sheet alone, and goes before the page's own", () => {
  const { called, named } = actions();
  const table = level.shortcutsOf(named);
  assert.equal(actionFor(table, event("ArrowDown")), null);
  actionFor(table, event("ArrowDown", { target: target("tr", "#sheet tbody") }))();
  actionFor(table, event("ArrowUp", { shiftKey: true, target: target("tr", "#sheet tbody") }))();
  assert.deepEqual(called, [
    ["stepRow", 1, false],
    ["stepRow", -1, true],
  ]);
});
