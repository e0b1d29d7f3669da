/** Chips: press one and type over it; press a run's id, or its pipe on the drawing, to put the run on the line. */
import {Refused} from "./page.js";

/** Turn a chip into a field. Enter sends, Esc leaves it; no text takes the item out, several words put more in its place. */
function retype(page, chip) {
  const run = chip.closest(".run").dataset.run;
  const {item} = chip.dataset;
  const field = document.createElement("input");
  field.className = "chip-edit";
  field.value = chip.textContent;
  field.setAttribute("aria-label", `Type over ${chip.textContent} in ${run}`);
  const words = document.createElement("p");
  words.className = "chip-error";
  words.setAttribute("role", "alert");
  chip.replaceWith(field);
  field.after(words);
  field.select();
  let done = false;
  const leave = () => {
    if (done) return;
    done = true;
    words.remove();
    field.replaceWith(chip);
  };
  field.addEventListener("keydown", async (event) => {
    if (event.key === "Escape") {
      leave();
      chip.focus();
    }
    if (event.key !== "Enter") return;
    event.preventDefault();
    if (field.value.trim() === chip.textContent) {
      leave();
      chip.focus();
      return;
    }
    try {
      done = true;
      await page.edit([{do: "retype_item", run, item, text: field.value}]);
      document.querySelector(`.chip[data-item="${item}"]`)?.focus();
    } catch (error) {
      done = false;
      if (!(error instanceof Refused)) return;
      words.textContent = error.message;
      if (Array.isArray(error.error.where)) field.setSelectionRange(...error.error.where);
    }
  });
  field.addEventListener("blur", () => setTimeout(() => field.isConnected && !words.textContent && leave(), 0));
}

/** Ask in place where to cut a run, measured along it from its start. */
function askCut(page, button) {
  const run = button.dataset.cut;
  const field = document.createElement("input");
  field.className = "chip-edit";
  field.placeholder = "so far along";
  field.setAttribute("aria-label", `Where to cut ${run}, measured from its start`);
  button.replaceWith(field);
  field.focus();
  const leave = () => field.isConnected && field.replaceWith(button);
  field.addEventListener("keydown", async (event) => {
    if (event.key === "Escape") leave();
    if (event.key !== "Enter") return;
    event.preventDefault();
    try {
      await page.edit([{do: "cut_run", run, at: field.value}]);
    } catch (error) {
      page.say(error.message, true);
    }
  });
  field.addEventListener("blur", () => setTimeout(leave, 0));
}

/** Wire the run list. */
export function startChips(page, line) {
  if (!page.isJob || !line) return;
  document.addEventListener("click", (event) => {
    const chip = event.target.closest(".chip");
    if (chip) retype(page, chip);
    const cut = event.target.closest("[data-cut]");
    if (cut) askCut(page, cut);
    const whole = event.target.closest("[data-whole]");
    if (whole) page.fetchPart(`pace/runs/${whole.dataset.whole}`);
    const id = event.target.closest(".run-id");
    if (id) line.open(id.closest(".run").dataset.run);
    const pipe = event.target.closest(".drawing .pipe");
    if (pipe && document.querySelector(`.run[data-run="${pipe.dataset.run}"]`)) line.open(pipe.dataset.run, true);
  });
}
