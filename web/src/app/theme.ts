/** Day, night room or high contrast; stays so in this browser. */
export function setTheme(name: string) {
  if (name) document.documentElement.dataset.theme = name;
  else delete document.documentElement.dataset.theme;
  localStorage.setItem("theme", name);
}
setTheme(localStorage.getItem("theme") ?? "");
