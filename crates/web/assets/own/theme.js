// Before the first paint: the theme that was chosen last.
if (localStorage.getItem("theme") === "dark") document.documentElement.dataset.theme = "dark";
