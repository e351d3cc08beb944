// Sets the chosen theme before the page is painted; without a choice the system's holds.
const kept = localStorage.getItem("reel-theme");
if (kept === "light" || kept === "dark") document.documentElement.dataset.theme = kept;
