// Files on their way in: by drop or picker, two at a time, each with its progress, stop and try again.

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
    const waiting = files.map((file) => ({ file, row: sendingRow(file.name) }));
    // Two at a time: a large film does not hold up the small files behind it.
    const next = async () => {
      while (waiting.length) await send(waiting.shift(), role);
    };
    await Promise.all([next(), next()]);
  }

  function sendingRow(name) {
    const row = document.createElement("div");
    row.innerHTML =
      '<span></span><div class="bar" role="progressbar" aria-valuemin="0" aria-valuemax="100"><i style="width:0"></i></div><small class="soft">waits</small><button class="quiet" type="button">Stop</button>';
    row.querySelector("span").textContent = name;
    sending.append(row);
    return row;
  }

  async function send({ file, row }, role) {
    const upload = new Upload(page.dataset.uploads, page.dataset.csrf, file, role);
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
