// Keys of the Words page.

const isField = (element) => element.matches("input, textarea, select") || element.isContentEditable;

export function bindKeys(actions) {
  window.addEventListener("keydown", (event) => {
    if (isField(event.target) || document.querySelector("dialog[open]")) return;
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z") {
      event.preventDefault();
      if (event.shiftKey) actions.redo();
      else actions.undo();
      return;
    }
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const isButton = event.target.matches("button, summary, a, [role='button']");
    const keys = {
      " ": () => actions.playOrStop(),
      Enter: () => actions.type(),
      Escape: () => actions.chooseNothing(),
      Delete: () => actions.silence(),
      ArrowRight: () => actions.stepWord(1, event.shiftKey),
      ArrowLeft: () => actions.stepWord(-1, event.shiftKey),
      ",": () => actions.step(-1),
      ".": () => actions.step(1),
      "<": () => actions.step(-10),
      ">": () => actions.step(10),
      n: () => actions.nextLost(1),
      b: () => actions.nextLost(-1),
      f: () => actions.find(),
    };
    const action = keys[event.key];
    // What has the focus is pressed by these keys itself.
    const isOfTab = event.target.matches('[role="tab"]') && event.key.startsWith("Arrow");
    if (!action || isOfTab || (isButton && [" ", "Enter"].includes(event.key))) return;
    event.preventDefault();
    action();
  });
}
