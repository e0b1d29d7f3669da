/** Work on site: marks and ticks become records at once on this phone, and reach the server when it answers. */

import {Queue} from "./queue.js";

/** Count what is shown, and what lies in other blocks of a long list. */
function count(id, selector) {
  const place = document.getElementById(id);
  if (place) place.textContent = document.querySelectorAll(selector).length + Number(place.dataset.elsewhere ?? 0);
}

/** Wire Joints, Order, Prove and small jobs. */
export function startSite(page) {
  if (!page.isJob || !(["joints", "order", "prove", "small", "assembly"].includes(page.name) || document.querySelector(".role-field"))) return;
  const queue = new Queue(page);
  const role = document.getElementById("role");
  const remembered = localStorage.getItem("oikotherm:role");
  if (role && [...role.options].some((option) => option.value === remembered)) role.value = remembered;
  const myRole = () => document.getElementById("role")?.value ?? "site lead";
  const rememberRole = () => {
    localStorage.setItem("oikotherm:role", myRole());
    for (const one of document.querySelectorAll(".role-field")) one.value = myRole();
    const field = document.getElementById("test-role");
    if (field) field.value = myRole();
  };
  document.addEventListener("change", (event) => event.target.id === "role" && rememberRole());
  rememberRole();
  keepReadings(page);
  // marks that still wait are shown as made
  const rows = new Map([...document.querySelectorAll("[data-key]")].map((row) => [row.dataset.key, row]));
  for (const record of queue.waiting) {
    for (const [field, value] of Object.entries(record.body)) {
      const row = rows.get(record.key);
      const shown = row?.querySelector(`[data-field="${field}"]`);
      if (shown?.matches("select")) compareContours(shown, value);
      else shown?.setAttribute("aria-pressed", String(value));
      if (field === "done") row?.classList.toggle("done", value);
    }
  }
  const recount = () => {
    count("made-count", "[data-field=made][aria-pressed=true]");
    count("done-count", ".tick-button[aria-pressed=true]");
    count("wet-count", "[data-field=dry][aria-pressed=false]");
  };
  /** Turn a mark or tick over on the page; gives its record. */
  const pressed = (button) => {
    const row = button.closest("[data-key]");
    const now = button.getAttribute("aria-pressed") !== "true";
    button.setAttribute("aria-pressed", String(now));
    if (button.dataset.record === "step") row.classList.toggle("done", now);
    const by = row.querySelector(".by");
    if (by) by.textContent = now ? `${myRole()}, just now` : "";
    const {key, label, method, pipe} = row.dataset;
    const body = {[button.dataset.field]: now, ...(method ? {method, pipe} : {})};
    return {kind: button.dataset.record, key, label, by_role: myRole(), body};
  };
  const press = (buttons) => {
    const records = [...buttons].map(pressed);
    recount();
    if (records.length) queue.add(records);
  };
  document.addEventListener("click", (event) => {
    const button = event.target.closest("[data-record]");
    if (button && !held(button)) press(inOneHeat(button));
    if (event.target.id === "all-dry") press(document.querySelectorAll("[data-field=dry][aria-pressed=false]"));
    if (event.target.id === "add-reading") note();
  });
  document.addEventListener("change", (event) => {
    const letter = event.target.closest("select[data-record]");
    if (!letter) return;
    compareContours(letter, letter.value);
    const {key, label, method, pipe} = letter.closest("[data-key]").dataset;
    queue.add([{kind: letter.dataset.record, key, label, by_role: myRole(), body: {[letter.dataset.field]: letter.value, method, pipe}}]);
  });
  document.addEventListener("submit", async (event) => {
    const {step} = event.target.dataset;
    if (!step) return;
    event.preventDefault();
    const moving = event.target.classList.contains("move");
    try {
      if (moving) page.take((await page.post("order/move", {rev: page.rev, step, after: event.target.elements.after.value})).body);
      else {
        const minutes = Number(event.target.elements.minutes.value.replace(",", "."));
        await page.edit([{do: "put_override", override: {target: step, field: "minutes", value: minutes, reason: "set on the plan"}}]);
      }
      rememberRole();
    } catch (error) {
      const words = event.target.closest("details").querySelector(".refused");
      words.textContent = error.error ? `Not moved: expected ${error.error.expected}.` : error.message;
      words.hidden = false;
    }
  });
  document.addEventListener("toggle", (event) => event.target.matches?.(".steps-list details") && event.target.open && fillMoves(event.target), true);
  window.addEventListener("offline", () => page.saved("no network", "lost"));
}

/** Whether a step waits for what is ticked one by one before it; says so where it does. */
function held(button) {
  const row = button.closest("[data-key]");
  const said = row.querySelector(".gate-said") ?? row.parentElement.closest("[data-key]")?.querySelector(".gate-said");
  if (!said) return false;
  const left = row.querySelectorAll(".checks [aria-pressed=false]").length;
  const stops = button.matches(".tick-button") && left > 0 && button.getAttribute("aria-pressed") !== "true";
  said.hidden = !stops;
  if (stops) said.textContent = `Not yet: ${left} not ticked`;
  return stops;
}

/** A mark, with the same mark of all joints that are made in one heat with it. */
function inOneHeat(button) {
  const {heat} = button.closest("[data-key]").dataset;
  const {field} = button.dataset;
  if (!heat || !["made", "ring", "flux_off"].includes(field)) return [button];
  const pressed = button.getAttribute("aria-pressed");
  return document.querySelectorAll(`[data-heat="${CSS.escape(heat)}"] [data-field=${field}][aria-pressed=${pressed}]`);
}

/** Show a contour letter as entered, and say so at once where fitting and jaw differ. */
function compareContours(select, value) {
  select.value = value;
  const place = select.closest(".contours");
  const [fitting, jaw] = [...place.querySelectorAll("select")].map((one) => one.value);
  place.querySelector(".contour-said").textContent =
    fitting && jaw && fitting !== jaw ? `${fitting} on the fitting, ${jaw} on the jaw: stop, this is no joint` : "";
}

/** The steps a step may be put behind: filled in when its details are opened, a large plan has thousands. */
function fillMoves(details) {
  const own = details.closest("[data-key]").dataset.key;
  const select = details.querySelector("form.move select");
  if (!select || select.options.length) return;
  for (const {dataset} of document.querySelectorAll(".steps-list > [data-key]")) {
    if (dataset.key !== own) select.add(new Option(dataset.label, dataset.key));
  }
}

/** Readings typed and not yet kept survive the death of the tab; once the test is kept they are forgotten. */
function keepReadings(page) {
  const box = document.getElementById("readings");
  if (!box) return;
  const section = document.querySelector("#test-form [name=section]").value;
  const key = `oikotherm:readings:${page.uid}:${section}`;
  if (location.hash === "#tests") localStorage.removeItem(key);
  if (!box.value) box.value = localStorage.getItem(key) ?? "";
  const keep = () => (box.value.trim() ? localStorage.setItem(key, box.value) : localStorage.removeItem(key));
  box.addEventListener("input", keep);
  box.addEventListener("kept", keep);
}

/** Put the reading just taken under the others, with the time. */
function note() {
  const pressure = document.getElementById("one-pressure");
  const temp = document.getElementById("one-temp");
  if (!pressure.value.trim()) {
    pressure.focus();
    pressure.setAttribute("aria-invalid", "true");
    pressure.placeholder = "read it first, such as 1.85 bar";
    return;
  }
  pressure.removeAttribute("aria-invalid");
  const now = new Date(Date.now() - new Date().getTimezoneOffset() * 60000).toISOString().slice(0, 19);
  const box = document.getElementById("readings");
  box.value = `${box.value.trimEnd()}${box.value.trim() ? "\n" : ""}${now}, ${pressure.value.trim()}, ${temp.value.trim()}`.replace(/, $/, "");
  pressure.value = "";
  box.dispatchEvent(new Event("kept"));
}
