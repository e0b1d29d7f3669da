/** The transition finder: a press on a size in the pictures writes the end into its field and asks anew. */
export function startFinder() {
  for (const bar of document.querySelectorAll(".bar[data-share]")) bar.style.width = `${bar.dataset.share}%`;
  keepTicks();
  const form = document.getElementById("finder");
  if (!form) return;
  form.addEventListener("click", (event) => {
    const button = event.target.closest("[data-end]");
    if (!button) return;
    const box = button.closest("details");
    document.getElementById(box.dataset.for).value = button.dataset.end;
    box.open = false;
    form.requestSubmit();
  });
  form.addEventListener("toggle", (event) => {
    if (!event.target.matches?.("details.pick") || !event.target.open) return;
    for (const other of form.querySelectorAll("details.pick[open]")) other.open = other === event.target;
  }, true);
  form.addEventListener("change", (event) => {
    if (event.target.matches("select, input[type=checkbox]")) form.requestSubmit();
  });
}

/** The field over the tools of the Bench leaves those whose words match. */
export function startBench() {
  const field = document.getElementById("bench-find");
  if (!field) return;
  field.addEventListener("input", () => {
    const words = field.value.toLowerCase().split(/\s+/).filter(Boolean);
    for (const group of document.querySelectorAll(".bench-group")) {
      let any = false;
      for (const row of group.querySelectorAll("li")) {
        const text = `${group.querySelector("h2").textContent} ${row.textContent}`.toLowerCase();
        row.hidden = !words.every((word) => text.includes(word));
        any ||= !row.hidden;
      }
      group.hidden = !any;
    }
  });
  field.addEventListener("keydown", (event) => {
    if (event.key !== "Enter") return;
    event.preventDefault();
    document.querySelector(".bench-group li:not([hidden]) a")?.click();
  });
}

/** The ticks of a joint card's steps stay in this browser, for the hand that is half way through. */
function keepTicks() {
  const ticks = [...document.querySelectorAll(".tick-step input")];
  if (!ticks.length) return;
  const key = `oikotherm:card:${location.pathname}${location.search}`;
  const kept = new Set(JSON.parse(localStorage.getItem(key) ?? "[]"));
  for (const [number, tick] of ticks.entries()) {
    tick.checked = kept.has(number);
    tick.addEventListener("change", () => {
      const done = ticks.flatMap((one, n) => (one.checked ? [n] : []));
      if (done.length) localStorage.setItem(key, JSON.stringify(done));
      else localStorage.removeItem(key);
    });
  }
}
