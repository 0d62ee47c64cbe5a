// The list of chapters: a row dropped, the text copied.

document.addEventListener("click", async (event) => {
  const drop = event.target.closest("[data-drop-row]");
  if (drop) {
    const form = drop.closest("form");
    drop.closest("tr").remove();
    form.requestSubmit(form.querySelector('button[name="way"][value=""]'));
  }
  const copy = event.target.closest("[data-copy]");
  if (copy) {
    await navigator.clipboard.writeText(document.querySelector(copy.dataset.copy).value);
    copy.textContent = "Copied";
  }
});
