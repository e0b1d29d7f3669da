/** The balance simulator on Sizes: a lockshield turned, a valve closed or another flow temperature, worked out by the server. */

/** Settings as they stand in a simulator. */
function settings(sim) {
  const emitters = {};
  for (const row of sim.querySelectorAll("[data-emitter]")) {
    const turns = row.querySelector("input[type=range]");
    const open = row.querySelector("input[type=checkbox]").checked;
    emitters[row.dataset.emitter] = {trv: open ? 1 : 0, ...(turns ? {turns: Number(turns.value)} : {})};
  }
  const speed = sim.querySelector("[name=pump]").value;
  return {circuit: sim.dataset.circuit, flow_c: Number(sim.querySelector("[name=flow_c]").value), emitters, ...(speed ? {pump: {mode: "fixed", speed: Number(speed)}} : {})};
}

function show(sim, found) {
  const out = (place, name, text) => {
    const cell = place.querySelector(`[data-out=${name}]`);
    if (cell) cell.textContent = text;
  };
  for (const one of found.emitters) {
    const row = sim.querySelector(`[data-emitter="${one.id}"]`);
    if (!row) continue;
    out(row, "flow", Math.round(one.flow_l_h));
    out(row, "share", `${Math.round(one.share * 100)} %`);
    out(row, "watts", Math.round(one.output_w));
    out(row, "back", one.flow_l_h > 0.05 ? one.return_c.toFixed(1) : "still");
    out(row, "noise", one.noisy ? "whistles" : "");
    const bar = row.querySelector("[data-out=bar]");
    bar.style.width = `${Math.min(one.share, 1.5) / 1.5 * 100}%`;
    bar.classList.toggle("off", Math.abs(one.share - 1) > 0.15);
  }
  for (const one of found.rooms) {
    const row = sim.querySelector(`[data-room="${one.id}"]`);
    if (!row) continue;
    out(row, "given", Math.round(one.given_w));
    out(row, "verdict", one.short ? "short" : "warm");
    row.classList.toggle("short", one.short);
  }
  out(sim, "flow_l_h", Math.round(found.flow_l_h));
  out(sim, "head", (found.head_pa / 1000).toFixed(1));
  out(sim, "boiler", (found.boiler_w / 1000).toFixed(1));
  out(sim, "return_c", found.return_c.toFixed(1));
  for (const row of document.querySelectorAll("[data-section]")) {
    if (!(row.dataset.section in found.sections)) continue;
    const temps = found.section_c[row.dataset.section];
    const warm = temps ? Math.max(0, Math.min(1, ((temps[0] + temps[1]) / 2 - 20) / 55)) : 0;
    for (const key of row.dataset.keys.split(" ")) {
      for (const pipe of document.querySelectorAll(`#sizes .drawing .pipe[data-key="${key}"]`)) {
        pipe.style.setProperty("--c", `color-mix(in srgb, var(--role-flow) ${Math.round(warm * 100)}%, var(--role-cold))`);
        pipe.classList.toggle("still", !temps);
      }
    }
  }
}

export function startSimulator(page) {
  if (!page.isJob) return;
  const busy = new Map(); // simulator -> whether it is asked for again
  const work = async (sim) => {
    if (busy.has(sim)) {
      busy.set(sim, true);
      return;
    }
    do {
      busy.set(sim, false);
      try {
        const {body} = await page.post("sizes/simulate", settings(sim));
        if (sim.isConnected) show(sim, body);
        sim.dataset.shown = String(Number(sim.dataset.shown ?? 0) + 1);
      } catch (error) {
        page.say(error.message, true);
      }
    } while (busy.get(sim));
    busy.delete(sim);
  };
  document.addEventListener("input", (event) => {
    const sim = event.target.closest(".sim");
    if (!sim) return;
    const says = event.target.parentElement.querySelector("output");
    if (says) says.textContent = event.target.name === "flow_c" ? `${event.target.value} °C` : event.target.value;
    work(sim);
  });
  document.addEventListener("click", (event) => {
    const act = event.target.closest(".sim [data-act]")?.dataset.act;
    if (act !== "balanced" && act !== "all-open") return;
    const sim = event.target.closest(".sim");
    for (const row of sim.querySelectorAll("[data-emitter]")) {
      const turns = row.querySelector("input[type=range]");
      if (turns) {
        turns.value = act === "balanced" ? row.dataset.turns : 4;
        turns.parentElement.querySelector("output").textContent = turns.value;
      }
      row.querySelector("input[type=checkbox]").checked = true;
    }
    work(sim);
  });
  const begin = () => document.querySelectorAll(".sim").forEach(work);
  page.addEventListener("changed", begin);
  begin();
}
