// Files on their way in: by drop or picker, two at a time, each with its progress, stop and try again.

import { askLaying } from "./laying.js";
import { Stopped, Upload } from "./upload.js";

export function bindSending({ page, sending, refresh }) {
  document.getElementById("files").addEventListener("change", (event) => {
    sendAll([...event.target.files]);
    event.target.value = "";
  });
  document.addEventListener("dragover", (event) => {
    if (event.dataTransfer.types.includes("Files")) {
      event.preventDefault();
      page.classList.add("is-over");
    }
  });
  document.addEventListener("dragleave", (event) => {
    if (!event.relatedTarget) page.classList.remove("is-over");
  });
  document.addEventListener("drop", (event) => {
    if (!event.dataTransfer.types.includes("Files")) return;
    event.preventDefault();
    page.classList.remove("is-over");
    sendAll([...event.dataTransfer.files]);
  });

  async function sendAll(files) {
    const role = document.getElementById("as-role").value;
    // Asked once for all of them; null where they are not to be brought in after all.
    const laying = files.length > 1 ? await askLaying(files, waysToLay) : { how: "" };
    if (!laying) return;
    const pile = laying.how && laying.how !== "apart" ? await beginPile(laying) : null;
    const waiting = files.map((file, place) => ({
      file,
      pile: pile && { id: pile, place },
      row: sendingRow(file.name),
    }));
    // Two at a time: a large film does not hold up the small files behind it.
    const next = async () => {
      while (waiting.length) await send(waiting.shift(), role);
    };
    await Promise.all([next(), next()]);
    if (pile) await tell(`${page.dataset.piles}/${pile}`, {});
    refresh();
  }

  async function waysToLay(all, order) {
    const listed = all.map((file) => ({ name: file.name, size_bytes: file.size }));
    const response = await fetch(page.dataset.layings, {
      method: "POST",
      headers: { "X-CSRFToken": page.dataset.csrf, "Content-Type": "application/json", Accept: "application/json" },
      body: JSON.stringify({ files: listed, order }),
    }).catch(() => null);
    return response?.ok ? response.json() : null;
  }

  const tell = (url, values) =>
    fetch(url, {
      method: "POST",
      headers: { "X-CSRFToken": page.dataset.csrf, Accept: "application/json" },
      body: new URLSearchParams(values),
    }).catch(() => null);

  // Where that does not reach the server, each file is laid by itself.
  async function beginPile(laying) {
    const response = await tell(page.dataset.piles, laying);
    return response?.ok ? (await response.json()).pile : null;
  }

  function sendingRow(name) {
    const row = document.createElement("div");
    row.innerHTML =
      '<span></span><div class="bar" role="progressbar" aria-valuemin="0" aria-valuemax="100"><i></i></div><small class="soft">waits</small><button class="quiet" type="button">Stop</button>';
    row.querySelector("span").textContent = name;
    sending.append(row);
    return row;
  }

  async function send({ file, pile, row }, role) {
    const upload = new Upload(page.dataset.uploads, page.dataset.csrf, file, role, pile);
    const [bar, words, button] = [row.querySelector(".bar"), row.querySelector("small"), row.querySelector("button")];
    button.addEventListener("click", () => upload.stop());
    try {
      await upload.send(
        (share) => {
          const percent = Math.round(100 * share);
          row.querySelector("i").style.width = `${percent}%`;
          bar.setAttribute("aria-valuenow", percent);
          words.textContent = `${percent} %`;
        },
        (why) => {
          words.textContent = why;
        },
      );
      row.remove();
    } catch (error) {
      if (error instanceof Stopped) row.remove();
      else {
        row.className = "note";
        row.setAttribute("role", "alert");
        row.innerHTML =
          '<span></span><button class="quiet" type="button">Try again</button><button class="quiet" type="button">Dismiss</button>';
        row.querySelector("span").textContent = error.message;
        const [again, dismiss] = row.querySelectorAll("button");
        again.addEventListener("click", () => {
          row.remove();
          sendAll([file]);
        });
        dismiss.addEventListener("click", () => row.remove());
      }
    }
    refresh();
  }
}
