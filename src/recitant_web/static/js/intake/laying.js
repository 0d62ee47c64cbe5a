// How a pile of files is laid: asked once for all that were dropped, with what their names suggest chosen already.

const COUNTING = /[\s._-]*\(?\d+\)?[a-z]?$/i;

// What is chosen before anybody chooses: names that differ by a number go one after another.
function suggested(files) {
  const stems = files.map((file) => file.name.replace(/\.[^.]*$/, "").replace(COUNTING, ""));
  return new Set(stems).size < files.length ? "names" : "apart";
}

// Resolves with { how, order }, or null where the files are not to be brought in.
export function askLaying(files) {
  const dialog = document.getElementById("laying");
  const form = dialog.querySelector("form");
  dialog.querySelector("h2").textContent = `${files.length} files. How should they be laid?`;
  form.elements.how.value = suggested(files);
  return new Promise((resolve) => {
    dialog.returnValue = "";
    dialog.addEventListener(
      "close",
      () => {
        const { how, order } = form.elements;
        resolve(dialog.returnValue === "lay" ? { how: how.value, order: order.value } : null);
      },
      { once: true },
    );
    dialog.showModal();
    form.querySelector('[value="lay"]').focus();
  });
}
