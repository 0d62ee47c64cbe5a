// Paper or dark room, remembered on this machine. A classic script, so that the page never flashes in the wrong one.
(() => {
  const root = document.documentElement;
  const preferred = window.matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light";
  root.dataset.bsTheme = localStorage.getItem("theme") || preferred;
  document.addEventListener("click", (event) => {
    if (!event.target.closest("[data-theme-switch]")) return;
    root.dataset.bsTheme = root.dataset.bsTheme === "dark" ? "light" : "dark";
    localStorage.setItem("theme", root.dataset.bsTheme);
    window.dispatchEvent(new Event("themechange"));
  });
})();
