/** The pacing line: a ghost of what is typed, the error under its word, suggestions, and text that survives a crash. */
import {Refused, Unreachable} from "./page.js";

const PAUSE_MS = 90;

class Line {
  constructor(page, drawing, form) {
    this.page = page;
    this.drawing = drawing;
    this.form = form;
    this.input = form.querySelector("#line-text");
    this.mark = form.querySelector("#line-mark");
    this.error = form.querySelector("#line-error");
    this.says = form.querySelector("#line-says");
    this.suggestions = form.querySelector("#suggestions");
    this.asked = 0;
    this.ghost = false;
    form.addEventListener("submit", (event) => {
      event.preventDefault();
      if (this.going) this.going.then(() => this.#pick(this.suggestions.firstElementChild));
      else this.send();
    });
    this.input.addEventListener("input", () => this.#typed());
    this.input.addEventListener("paste", (event) => this.#pasted(event));
    this.input.addEventListener("scroll", () => this.#placeMark());
    this.input.addEventListener("keydown", (event) => this.#key(event));
    this.suggestions.addEventListener("click", (event) => this.#pick(event.target.closest("button")));
    this.suggestions.addEventListener("keydown", (event) => this.#suggestionKey(event));
    form.querySelector("#line-new").addEventListener("click", () => this.open(""));
    page.addEventListener("changed", () => this.#markOpen());
    this.#restore();
    this.#markOpen();
  }

  get run() {
    return this.input.dataset.run;
  }

  #draftKey(run = this.run) {
    return `oikotherm:draft:${this.page.uid}:${run || "new"}`;
  }

  /** Bring back text that was typed and never sent: of the run that is open, else of the one last typed in. */
  #restore() {
    const last = localStorage.getItem(`oikotherm:draft:${this.page.uid}:last`);
    if (!this.run && last && last !== "new" && localStorage.getItem(this.#draftKey(last)) !== null) {
      this.#name(last);
    }
    const draft = localStorage.getItem(this.#draftKey());
    const line = this.#lineOf(this.run);
    if (draft !== null && draft !== line && draft !== this.input.value) {
      this.input.value = draft;
      this.says.textContent = "unsent text restored";
      this.#preview(true);
    } else if (this.run) {
      this.input.value = line;
    }
  }

  #lineOf(run) {
    return document.querySelector(`.run[data-run="${run}"]`)?.dataset.line ?? "";
  }

  #name(run) {
    this.input.dataset.run = run;
    this.form.querySelector("#line-name").textContent = run || "new run";
    this.form.querySelector("#line-send").textContent = run ? "Change run" : "Add run";
    this.form.querySelector("#line-new").hidden = !run;
  }

  #markOpen() {
    for (const run of document.querySelectorAll(".run")) run.classList.toggle("open", run.dataset.run === this.run);
    this.ghost = false;
  }

  /** Put a run on the line, or clear it for a new one. Text not sent stays with its run. */
  open(run, keepFocus = false) {
    this.#name(run);
    this.input.value = localStorage.getItem(this.#draftKey()) ?? this.#lineOf(run);
    this.#fail(null);
    this.says.textContent = "";
    this.suggestions.replaceChildren();
    this.#markOpen();
    if (!keepFocus) this.input.focus();
    this.#preview();
  }

  /** Add to the last leg of the line by walking, or begin one: what an arrow key on the drawing does. The server writes it. */
  walk(way, step_mm) {
    (this.steps ??= []).push({way, step_mm});
    this.walking ??= this.#sendSteps().finally(() => (this.walking = null));
  }

  /** Take the last leg that was walked off the line again. */
  stepBack() {
    this.walk("N", -1);
  }

  /** Steps made while an answer is awaited go together with the next; if text was typed meanwhile they go after that. */
  async #sendSteps() {
    while (this.steps.length) {
      const text = this.input.value;
      const run = this.run;
      const steps = this.steps.splice(0);
      const {body} = await this.page.post("pace/walked", {text, steps});
      if (body.text === null) {
        this.page.say("Put a run on the line first, up to its colon; then the arrow keys add its legs.");
      } else if (this.input.value === text) {
        this.input.value = body.text;
        this.#typed();
      } else if (this.run === run) {
        this.steps.unshift(...steps);
      }
    }
  }

  focus() {
    this.input.focus();
    this.input.setSelectionRange(this.input.value.length, this.input.value.length);
  }

  #typed() {
    localStorage.setItem(this.#draftKey(), this.input.value);
    localStorage.setItem(`oikotherm:draft:${this.page.uid}:last`, this.run || "new");
    clearTimeout(this.waiting);
    this.waiting = setTimeout(() => this.#preview(), PAUSE_MS);
  }

  #forget() {
    localStorage.removeItem(this.#draftKey());
    localStorage.removeItem(`oikotherm:draft:${this.page.uid}:last`);
  }

  /** Ask what the text would give. Answers that come late are dropped; the end of a word being typed is no error yet. */
  async #preview(keepWords = false) {
    const number = ++this.asked;
    const text = this.input.value;
    if (!text.trim() && !this.ghost) return;
    const caret = this.input.selectionStart ?? text.length;
    let answer;
    try {
      ({body: answer} = await this.page.post("pace/preview", {text, run: this.run || null, caret}));
    } catch (error) {
      if (error instanceof Unreachable) this.page.saved("no answer", "lost");
      return;
    }
    if (number !== this.asked) return;
    if (answer.drawing && this.drawing) {
      this.drawing.show(answer.drawing);
      this.ghost = Boolean(text.trim());
    }
    if (!keepWords) this.says.textContent = answer.says;
    const where = answer.error?.where;
    const typing = Array.isArray(where) && where[1] >= caret && !/\s$/.test(text);
    this.#fail(typing ? null : answer.error);
    this.#suggest(answer.suggestions, text);
  }

  /** Show what was refused under the line and mark its word; null clears both. */
  #fail(error) {
    this.failed = error;
    this.input.setAttribute("aria-invalid", String(Boolean(error)));
    this.error.textContent = error
      ? `${error.field}: read "${error.said}", expected ${error.expected}${error.example ? `, for example ${error.example}` : ""}`
      : "";
    this.#placeMark();
  }

  #placeMark() {
    const where = this.failed?.where;
    this.mark.hidden = !Array.isArray(where);
    if (this.mark.hidden) return;
    const style = getComputedStyle(this.input);
    const text = `${this.input.value} `;
    const left = widthOf(text.slice(0, where[0]), style.font);
    this.mark.style.left = `${parseFloat(style.paddingLeft) + 1 - this.input.scrollLeft + left}px`;
    this.mark.style.width = `${Math.max(widthOf(text.slice(0, Math.max(where[1], where[0] + 1)), style.font) - left, 6)}px`;
  }

  #suggest(list, text) {
    this.suggestedFor = text;
    this.suggestions.replaceChildren(
      ...list.map((one) => {
        const button = document.createElement("button");
        button.type = "button";
        Object.assign(button.dataset, one);
        button.textContent = one.text;
        if (one.what) {
          const what = document.createElement("small");
          what.textContent = one.what;
          button.append(what);
        }
        return button;
      }),
    );
  }

  #pick(button) {
    if (!button || this.suggestedFor !== this.input.value) return;
    const {text, start, end} = button.dataset;
    const value = this.input.value;
    this.input.value = `${value.slice(0, start)}${text} ${value.slice(end).trimStart()}`;
    const caret = Number(start) + text.length + 1;
    this.input.focus();
    this.input.setSelectionRange(caret, caret);
    this.#typed();
  }

  #key(event) {
    const atEnd = this.input.selectionStart === this.input.value.length && this.input.selectionEnd === this.input.value.length;
    if (event.key === "ArrowRight" && atEnd && this.suggestedFor === this.input.value && this.suggestions.firstElementChild) {
      event.preventDefault();
      this.#pick(this.suggestions.firstElementChild);
    } else if (event.key === "ArrowRight" && !this.input.value) {
      event.preventDefault();
      this.input.value = "from ";
      this.#typed();
    } else if (event.key === "ArrowDown" && this.suggestions.firstElementChild) {
      event.preventDefault();
      this.#toSuggestions();
    } else if (event.key === "Escape") {
      event.preventDefault();
      if (this.input.value && !this.run) {
        this.input.value = "";
        this.#forget();
        this.#fail(null);
        this.#preview();
      } else if (this.run) {
        this.#forget();
        this.open("");
      } else this.input.blur();
    }
  }

  /** Go down to the suggestions; those for an earlier text are first asked anew, and Enter waits for them. */
  async #toSuggestions() {
    if (this.suggestedFor !== this.input.value) {
      clearTimeout(this.waiting);
      this.going ??= this.#preview();
      await this.going;
      this.going = null;
    }
    this.suggestions.firstElementChild?.focus();
  }

  #suggestionKey(event) {
    const here = document.activeElement;
    if (event.key === "ArrowRight") here.nextElementSibling?.focus();
    else if (event.key === "ArrowLeft") here.previousElementSibling?.focus();
    else if (event.key === "ArrowUp" || event.key === "Escape") this.focus();
    else return;
    event.preventDefault();
  }

  /** Several pasted lines are several runs, put in as one edit; legs alone go on with the line that is open. */
  async #pasted(event) {
    const text = event.clipboardData?.getData("text/plain") ?? "";
    if (!text.trim().includes("\n")) return;
    event.preventDefault();
    const open = this.input.value.trim();
    const {body: {lines}} = await this.page.post("pace/lines", {text: open ? `${open}\n${text}` : text});
    if (lines.length === 1) {
      this.input.value = lines[0];
      this.#typed();
      return;
    }
    try {
      const stored = await this.page.edit(lines.map((line) => ({do: "put_run", text: line, run: null})));
      if (!stored) return;
      this.input.value = "";
      this.#forget();
      this.#fail(null);
      this.says.textContent = `${lines.length} runs added`;
    } catch (error) {
      if (!(error instanceof Refused)) throw error;
      this.input.value = lines.find((line) => line.includes(error.error.said)) ?? lines[0];
      this.#fail({...error.error, where: null});
    }
  }

  /** Send the line: Enter, after the steps still walked. The text stays until the server has said that it is kept. */
  async send() {
    await this.walking?.catch(() => {});
    const text = this.input.value;
    if (!text.trim()) {
      this.#fail({field: "run", said: "", expected: "where it starts, its pipe and its legs", example: this.input.placeholder});
      this.input.focus();
      return;
    }
    clearTimeout(this.waiting);
    this.asked++;
    const before = new Set([...document.querySelectorAll(".run")].map((run) => run.dataset.run));
    try {
      const stored = await this.page.edit([{do: "put_run", text, run: this.run || null}]);
      if (!stored) return;
      this.#forget();
      this.#fail(null);
      this.suggestions.replaceChildren();
      const made = [...document.querySelectorAll(".run")].find((run) => !before.has(run.dataset.run));
      this.says.textContent = this.run ? `${this.run} changed` : `${made?.dataset.run ?? "run"} added`;
      this.#name("");
      this.input.value = "";
      this.#markOpen();
      this.input.focus();
    } catch (error) {
      if (error instanceof Refused) {
        this.#fail(error.error);
        if (Array.isArray(error.error.where)) this.input.setSelectionRange(...error.error.where);
      }
    }
  }
}

let ruler;
/** Width of a text in a font, in CSS pixels. */
function widthOf(text, font) {
  ruler ??= document.createElement("canvas").getContext("2d");
  ruler.font = font;
  return ruler.measureText(text).width;
}

/** Wire the pacing line; null on pages without one. */
export function startLine(page, drawing) {
  const form = document.getElementById("line");
  return form && page.isJob ? new Line(page, drawing, form) : null;
}
