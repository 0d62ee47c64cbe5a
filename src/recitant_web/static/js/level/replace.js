// Asks what becomes of a chain that is there before another one comes in its place.

// Resolves with "replace", "behind", or null where nothing is to be done.
export function askReplace(chain, what) {
  if (!chain.length) return Promise.resolve("replace");
  const dialog = document.getElementById("replace-dialog");
  const n = chain.length === 1 ? "a processor" : `${chain.length} processors`;
  dialog.querySelector("p").textContent =
    `There ${chain.length === 1 ? "is" : "are"} ${n} already. Where shall ${what} go?`;
  return new Promise((resolve) => {
    dialog.returnValue = "";
    dialog.addEventListener("close", () => resolve(dialog.returnValue || null), { once: true });
    dialog.showModal();
  });
}
