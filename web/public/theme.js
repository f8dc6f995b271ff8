// Before the first paint, so that a dark room stays dark.
(() => {
  const chosen = localStorage.getItem("juglant-theme");
  const dark = matchMedia("(prefers-color-scheme: dark)").matches;
  document.documentElement.dataset.bsTheme = chosen ?? (dark ? "dark" : "light");
})();
