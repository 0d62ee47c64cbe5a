// A table body that holds the rows in view alone, however many there are, with rows of empty height where others would be.
// Assistive technology hears the full count (aria-rowcount) and the place of each row (aria-rowindex).

import { make } from "./dom.js";

const BESIDE_ROWS = 10; // built above and below the view, so that scrolling shows no gap
const GUESSED_ROW_PX = 33;

// table: inside of scroller, with one row of headings; line(item): its row, the same element while nothing of it changes;
// idOf(item); isKept(item): stays in the document wherever the view is, such as the row that has the focus.
export function newWindowedBody({ table, scroller, line, idOf, isKept }) {
  const body = table.tBodies[0];
  let items = [];
  let rowPx = GUESSED_ROW_PX;
  let isMeasured = false; // all rows are as high as one, until the table has another width
  let isAsked = false;

  function places() {
    const first = Math.max(0, Math.floor(scroller.scrollTop / rowPx) - BESIDE_ROWS);
    const last = Math.min(items.length, Math.ceil((scroller.scrollTop + scroller.clientHeight) / rowPx) + BESIDE_ROWS);
    const found = [];
    items.forEach((item, at) => {
      if ((at >= first && at < last) || isKept(item)) found.push(at);
    });
    return found;
  }

  function gap(rows) {
    const cell = make("td", { colSpan: table.tHead.rows[0].cells.length });
    cell.style.height = `${rows * rowPx}px`;
    const row = make("tr", { className: "gap" }, cell);
    row.ariaHidden = "true";
    return row;
  }

  function paint() {
    isAsked = false;
    const lines = [];
    let next = 0;
    for (const at of places()) {
      if (at > next) lines.push(gap(at - next));
      const row = line(items[at]);
      row.ariaRowIndex = String(at + 2);
      lines.push(row);
      next = at + 1;
    }
    if (items.length > next) lines.push(gap(items.length - next));
    place(lines);
    table.ariaRowCount = String(items.length + 1);
  }

  // Rows that stay are not taken out: the one that has the focus keeps it.
  function place(lines) {
    const wanted = new Set(lines);
    for (const row of [...body.children]) if (!wanted.has(row)) row.remove();
    lines.forEach((row, at) => {
      if (body.children[at] !== row) body.insertBefore(row, body.children[at] || null);
    });
    if (isMeasured) return;
    const measured = body.querySelector("tr:not(.gap)")?.getBoundingClientRect().height;
    isMeasured = Boolean(measured);
    if (measured && Math.abs(measured - rowPx) > 0.5) {
      rowPx = measured;
      paint();
    }
  }

  function ask() {
    if (isAsked) return;
    isAsked = true;
    requestAnimationFrame(paint);
  }

  scroller.addEventListener("scroll", ask, { passive: true });
  new ResizeObserver(() => {
    isMeasured = false;
    ask();
  }).observe(scroller);

  return {
    show(all) {
      items = all;
      paint();
    },
    // Scrolls no further than it takes to have the row of an item in view.
    reveal(id) {
      const at = items.findIndex((item) => idOf(item) === id);
      if (at < 0) return;
      const head = table.tHead.offsetHeight;
      const room = scroller.clientHeight - head;
      const top = at * rowPx;
      if (top < scroller.scrollTop) scroller.scrollTop = top;
      else if (top + rowPx > scroller.scrollTop + room) scroller.scrollTop = top + rowPx - room;
      paint();
    },
  };
}
