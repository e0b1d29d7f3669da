/** Editing on the drawing itself: pick a leg, drag its end, walk with the arrow keys. Each gives what the pacing line would give. */
import {drag} from "./drag.js";
import {Refused} from "./page.js";

const SNAP_PX = 9;
const WAYS = {ArrowUp: "N", ArrowRight: "E", ArrowDown: "S", ArrowLeft: "W", PageUp: "U", PageDown: "D"};

class Leg {
  constructor(page, drawing, line) {
    this.page = page;
    this.drawing = drawing;
    this.line = line;
    this.sheet = drawing.sheet;
    this.bar = document.getElementById("leg");
    this.input = document.getElementById("leg-length");
    this.says = document.getElementById("leg-says");
    this.picked = null;
    this.bar.addEventListener("submit", (event) => {
      event.preventDefault();
      this.#change({do: "type_length", text: this.input.value});
    });
    this.bar.addEventListener("click", (event) => {
      const {act} = event.target.dataset;
      if (act === "leave-leg") this.leave();
      if (act === "put-tee") this.#tee();
    });
    this.bar.addEventListener("keydown", (event) => event.key === "Escape" && this.leave());
    this.sheet.addEventListener("click", (event) => this.#pick(event.target.closest(".pipe[data-items]")));
    this.sheet.addEventListener("keydown", (event) => this.#walk(event));
    page.addEventListener("changed", () => this.#again());
    this.sheet.addEventListener("drawn", () => this.picked && this.#show(this.shown));
  }

  get inches() {
    return document.getElementById("units")?.value === "in";
  }

  #text(mm) {
    return this.inches ? String(Math.round((mm / 25.4) * 16) / 16) : String(Math.round(mm));
  }

  async #pick(pipe) {
    if (!pipe) return;
    const item = pipe.dataset.items.split(" ").at(-1);
    await this.#fetch(pipe.dataset.run, item);
  }

  async #fetch(run, item) {
    const answer = await fetch(this.page.url(`pace/leg?run=${encodeURIComponent(run)}&item=${encodeURIComponent(item)}`)).catch(() => null);
    if (!answer?.ok) return this.leave();
    this.picked = await answer.json();
    this.bar.hidden = false;
    document.getElementById("leg-name").textContent = `${run} ${this.picked.text}`;
    this.input.value = this.#text(this.picked.length_mm);
    this.says.textContent = "drag its end on the drawing";
    this.#show(this.picked.length_mm);
  }

  /** After an edit the same leg stays picked, if it is still there. */
  #again() {
    if (this.picked) this.#fetch(this.picked.run, this.picked.item);
  }

  leave() {
    this.picked = null;
    this.bar.hidden = true;
    for (const old of this.sheet.querySelectorAll(".handle, .stretch")) old.remove();
  }

  /** Sheet units of a vector in the house [mm]. */
  #flat(vector) {
    const axes = this.drawing.svg.dataset.axes.split(" ").map((pair) => pair.split(",").map(Number));
    return [0, 1].map((n) => axes.reduce((sum, axis, which) => sum + (axis[n] * vector[which]) / 1000, 0));
  }

  #spot(length) {
    const origin = this.drawing.svg.dataset.origin.split(",").map(Number);
    const at = this.picked.at.map((part, n) => part + this.picked.way[n] * length);
    const flat = this.#flat(at);
    return {x: origin[0] + flat[0], y: origin[1] + flat[1]};
  }

  #show(length) {
    this.shown = length;
    for (const old of this.sheet.querySelectorAll(".handle, .stretch")) old.remove();
    const a = this.#spot(0);
    const b = this.#spot(length);
    const make = (name, fields) => {
      const part = document.createElementNS("http://www.w3.org/2000/svg", name);
      for (const [key, value] of Object.entries(fields)) part.setAttribute(key, value);
      this.drawing.svg.querySelector(".all").append(part);
      return part;
    };
    make("path", {class: "stretch", d: `M${a.x} ${a.y}L${b.x} ${b.y}`});
    const handle = make("circle", {class: "handle", cx: b.x, cy: b.y, r: 8 * (Number(this.drawing.svg.style.getPropertyValue("--k")) || 1)});
    handle.addEventListener("pointerdown", (event) => this.#drag(event));
  }

  #drag(event) {
    event.stopPropagation();
    event.preventDefault();
    const seen = () => {
      const way = this.#flat(this.picked.way);
      return {way, square: way[0] ** 2 + way[1] ** 2, start: this.#spot(0)};
    };
    if (seen().square < 1e-9) {
      this.says.textContent = "this leg points at the eye: turn the drawing";
      return;
    }
    let length = this.picked.length_mm;
    const move = (next) => {
      const {way, square, start} = seen(); // anew: the sheet may have been drawn again under the pointer
      const per = Math.sqrt(square); // sheet units in a millimetre
      const k = Number(this.drawing.svg.style.getPropertyValue("--k")) || 1;
      const at = new DOMPoint(next.clientX, next.clientY).matrixTransform(this.drawing.svg.getScreenCTM().inverse());
      const free = ((at.x - start.x) * way[0] + (at.y - start.y) * way[1]) / square;
      const step = this.inches ? 25.4 / 4 : 5;
      length = Math.max(step, Math.round(free / step) * step);
      const near = this.picked.snaps.filter((snap) => Math.abs(snap.length_mm - free) * per < SNAP_PX * k);
      const snap = near.sort((one, two) => Math.abs(one.length_mm - free) - Math.abs(two.length_mm - free))[0];
      if (snap) length = snap.length_mm;
      this.says.textContent = snap ? snap.what : "";
      this.input.value = this.#text(length);
      this.#show(length);
    };
    const stop = () => {
      if (Math.abs(length - this.picked.length_mm) > 0.5) this.#change({do: "set_leg", length_mm: length, basis: "assumed"});
    };
    drag({move, stop});
  }

  async #change(command) {
    const {run, item} = this.picked;
    try {
      await this.page.edit([{run, item, ...command}]);
    } catch (error) {
      if (error instanceof Refused) this.says.textContent = error.message;
      this.#show(this.picked.length_mm);
    }
  }

  async #tee() {
    const {run, middle} = this.picked;
    await this.page
      .edit([{do: "put_tee_at", run, at: middle}])
      .catch((error) => (this.says.textContent = error.message));
  }

  #walk(event) {
    const way = WAYS[event.key];
    if (event.key === "Enter" && event.target === this.sheet) {
      event.preventDefault();
      this.line.send();
    } else if (event.key === "Backspace" && event.target === this.sheet) {
      event.preventDefault();
      this.line.stepBack();
    } else if (way && !event.ctrlKey && !event.altKey && !event.metaKey) {
      event.preventDefault();
      const step = this.inches ? (event.shiftKey ? 12.7 : 152.4) : event.shiftKey ? 10 : 100;
      this.line.walk(way, step);
    }
  }
}

/** Wire the drawing of Pace-out for editing. */
export function startLegs(page, drawing, line) {
  return drawing && line ? new Leg(page, drawing, line) : null;
}
