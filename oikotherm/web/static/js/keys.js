/** Single keys. They rest while something is typed, and with Ctrl, Alt or Meta. */

/** Wire the keys. */
export function startKeys(page, drawing, line) {
  const stage = (number) => () => document.querySelector(`[data-stage="${number}"]`)?.click();
  const neighbour = (by) => () => {
    const runs = [...document.querySelectorAll(".run")].map((run) => run.dataset.run);
    if (!line || !runs.length) return;
    const at = runs.indexOf(line.run);
    line.open(runs[at < 0 ? (by > 0 ? 0 : runs.length - 1) : (at + by + runs.length) % runs.length]);
  };
  const view = (name) => () => drawing?.project({view: name, turns: name === "iso" ? drawing.view.turns : 0});
  const acts = {
    "/": () => (line ? line.focus() : document.getElementById("find")?.focus()),
    "?": () => document.getElementById("keys").showModal(),
    z: () => page.isJob && page.step("undo").catch(() => {}),
    Z: () => page.isJob && page.step("redo").catch(() => {}),
    "[": neighbour(-1),
    "]": neighbour(1),
    f: () => drawing?.fit(),
    d: () => drawing?.toggleDims(),
    g: () => document.getElementById("sheet")?.focus(),
    t: () => drawing?.turn(),
    "+": () => drawing?.zoomBy(1.25),
    "-": () => drawing?.zoomBy(0.8),
    i: view("iso"),
    p: view("plan"),
    e: view("elevation"),
    s: view("side"),
    w: () => document.getElementById("watch-toggle")?.click(),
  };
  for (const number of "12345678") acts[number] = stage(number);
  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.altKey || event.metaKey || document.querySelector("dialog[open]")) return;
    if (event.target.closest("input, select, textarea")) return;
    const act = acts[event.key];
    if (!act) return;
    event.preventDefault();
    act();
  });
}
