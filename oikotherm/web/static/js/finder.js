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
