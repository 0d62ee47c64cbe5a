// How a pile of files is laid: asked once for all that were dropped. What each way comes to, in words and as a small picture,
// is the server's to say.

const WIDTH = 300;
const HEIGHT = 72;

// Resolves with { how, order }, or null where the files are not to be brought in. ask(files, order) gives what each way
// comes to.
export function askLaying(files, ask) {
  const dialog = document.getElementById("laying");
  const form = dialog.querySelector("form");
  const { how, order } = form.elements;
  let ways = {};
  dialog.querySelector("h2").textContent = `${files.length} files. How should they be laid?`;
  how.value = "auto";
  const show = () => draw(dialog, ways[how.value]);
  const look = async () => {
    ways = (await ask(files, order.value))?.ways || {};
    show();
  };
  form.onchange = (event) => (event.target === order ? look() : show());
  look();
  return new Promise((resolve) => {
    dialog.returnValue = "";
    dialog.addEventListener(
      "close",
      () => resolve(dialog.returnValue === "lay" ? { how: how.value, order: order.value } : null),
      { once: true },
    );
    dialog.showModal();
    form.querySelector('[value="lay"]').focus();
  });
}

// Tracks as rows, clips as bars.
function draw(dialog, way) {
  const picture = dialog.querySelector("#laid");
  dialog.querySelector("#laid-words").textContent = way ? way.words : "";
  picture.replaceChildren();
  if (!way) return;
  const end = Math.max(1, ...way.tracks.flat().map(([at, length]) => at + length));
  const row = HEIGHT / Math.max(4, way.tracks.length);
  way.tracks.forEach((clips, index) => {
    for (const [at, length] of clips) {
      const bar = document.createElementNS("http://www.w3.org/2000/svg", "rect");
      const place = { x: (at / end) * WIDTH, y: index * row + 1, height: Math.max(1, row - 2) };
      const size = { ...place, width: Math.max(1, (length / end) * WIDTH - 1) };
      for (const [name, value] of Object.entries(size)) bar.setAttribute(name, value);
      picture.append(bar);
    }
  });
}
