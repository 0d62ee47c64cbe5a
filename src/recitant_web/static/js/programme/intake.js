// Files dropped on a role go up one after the other, each with its progress and a way to stop it.

const drops = document.querySelector(".drops");
const sending = document.querySelector(".sending");

for (const drop of drops.querySelectorAll(".drop")) {
  const input = drop.querySelector("input");
  input.addEventListener("change", () => { sendAll(input.files, drop.dataset.role); input.value = ""; });
  drop.addEventListener("dragover", (event) => { event.preventDefault(); drop.classList.add("is-over"); });
  drop.addEventListener("dragleave", () => drop.classList.remove("is-over"));
  drop.addEventListener("drop", (event) => {
    event.preventDefault();
    drop.classList.remove("is-over");
    sendAll(event.dataTransfer.files, drop.dataset.role);
  });
}

async function sendAll(files, role) {
  for (const file of [...files]) await send(file, role);
}

function send(file, role) {
  const row = document.createElement("div");
  row.innerHTML = '<span></span><div class="bar" role="progressbar" aria-valuemin="0" aria-valuemax="100"><i style="width:0"></i></div><button class="quiet">Stop</button>';
  row.querySelector("span").textContent = file.name;
  sending.append(row);
  const request = new XMLHttpRequest();
  const form = new FormData();
  form.append("role", role);
  form.append("file", file);
  row.querySelector("button").addEventListener("click", () => request.abort());
  request.upload.addEventListener("progress", (event) => {
    const percent = Math.round((100 * event.loaded) / Math.max(1, event.total));
    row.querySelector("i").style.width = `${percent}%`;
    row.querySelector(".bar").setAttribute("aria-valuenow", percent);
  });
  return new Promise((resolve) => {
    request.addEventListener("loadend", () => {
      const fault = request.status === 200 ? "" : sentenceOf(request, file.name);
      if (fault) showFault(row, fault); else row.remove();
      window.htmx.ajax("GET", document.querySelector("[data-sources-url]").dataset.sourcesUrl, "#sources");
      resolve();
    });
    request.open("POST", drops.dataset.upload);
    request.setRequestHeader("X-CSRFToken", drops.dataset.csrf);
    request.setRequestHeader("Accept", "application/json");
    request.send(form);
  });
}

function sentenceOf(request, name) {
  try { return JSON.parse(request.responseText).sentence; } catch { /* not our answer: the line broke or was cut */ }
  return `${name} did not arrive. Check the connection and drop it again; nothing else is lost.`;
}

function showFault(row, words) {
  row.className = "note";
  row.setAttribute("role", "alert");
  row.innerHTML = '<span></span><span></span><button class="quiet">Dismiss</button>';
  row.querySelector("span").textContent = words;
  row.querySelector("button").addEventListener("click", () => row.remove());
}
