// Times of edits on a page: from the press until the server's answer is drawn.
(() => {
  const undo = document.querySelector("[data-do=undo]");
  const frame = () =>
    new Promise((resolve) => {
      requestAnimationFrame(() => setTimeout(resolve));
    });

  async function press(ids) {
    const took = [];
    for (const [index, id] of ids.entries()) {
      const was = undo.title;
      const began = performance.now();
      window.recitantEdits.add({ kind: "level", ids: [id], by_db: -1 - index / 10 });
      while (undo.title === was) await frame();
      took.push(performance.now() - began);
      await new Promise((resolve) => {
        setTimeout(resolve, 400);
      });
    }
    return took;
  }

  // Of each press: until it is drawn, and until the server has acknowledged it, in ms.
  async function twice(ids) {
    const took = [];
    for (const [index, id] of ids.entries()) {
      const began = performance.now();
      let acknowledged = 0;
      const done = window.recitantEdits.add({ kind: "level", ids: [id], by_db: -1 - index / 10 }).then(() => {
        acknowledged = performance.now() - began;
      });
      await frame();
      const drawn = performance.now() - began;
      await done;
      took.push([drawn, acknowledged]);
      await new Promise((resolve) => {
        setTimeout(resolve, 400);
      });
    }
    return took;
  }
  window.press = press;
  window.pressTwice = twice;
})();
