// Work on a part of the page that waits while something in it is pressed: what is replaced between press and release
// takes the press away.

export function newAfterPress(box) {
  let isPressed = false;
  let waiting = null;

  function release() {
    if (!isPressed) return;
    isPressed = false;
    // The click of this press comes first.
    setTimeout(() => {
      const work = waiting;
      waiting = null;
      if (work) work();
    });
  }
  box.addEventListener("pointerdown", (event) => {
    // A canvas redraws itself while it is dragged, and a list of choices may swallow its release.
    isPressed = !event.target.closest("canvas, select");
  });
  for (const kind of ["pointerup", "pointercancel", "blur"]) window.addEventListener(kind, release);
  window.addEventListener("pointermove", (event) => {
    if (!event.buttons) release();
  });

  return (work) => {
    if (isPressed) waiting = work;
    else work();
  };
}
