// Before the first paint: the theme that was chosen last.
if (localStorage.getItem("theme") === "dark") document.documentElement.dataset.theme = "dark";

// A new job's days are shown in the time zone of whoever begins it.
document.addEventListener("DOMContentLoaded", () => {
  const zone = /** @type {HTMLInputElement | null} */ (document.getElementById("zone"));
  if (zone) zone.value = Intl.DateTimeFormat().resolvedOptions().timeZone || "";
});
