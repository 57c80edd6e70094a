// Before the first paint, so that a dark screen never flashes light. A file of its own: the policy allows no inline script.
document.documentElement.dataset.theme =
  localStorage.getItem("faena-theme") ?? (matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light");
