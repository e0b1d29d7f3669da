/** The plan of the survey: stations are dragged, rooms, walls and obstacles drawn; a drawing becomes a line of the house. */

import {drag} from "./drag.js";

const GRID_MM = 50;
const NEAR_PX = 9;

class Plan {
  constructor(page, holder) {
    this.page = page;
    this.holder = holder;
    this.svg = holder.querySelector("svg");
    this.inches = holder.dataset.unit === "in";
    this.mode = "move";
    this.text = document.getElementById("house-text");
    this.says = document.getElementById("plan-says");
    const [origin, ...axes] = [this.svg.dataset.origin, ...this.svg.dataset.axes.split(" ")].map((pair) => pair.split(",").map(Number));
    this.origin = origin;
    this.scale = axes[0][0] / 1000; // sheet units in a millimetre
    document.querySelector(".plan-tools").addEventListener("click", (event) => this.#pick(event.target.closest("[data-draw]")));
    this.svg.addEventListener("pointerdown", (event) => this.#start(event));
    document.addEventListener("click", (event) => {
      const part = event.target.closest(".house-part");
      if (!part) return;
      this.text.value = part.dataset.text;
      this.text.focus();
    });
  }

  #pick(button) {
    if (!button) return;
    this.mode = button.dataset.draw;
    for (const one of document.querySelectorAll("[data-draw]")) one.setAttribute("aria-pressed", String(one === button));
    this.says.textContent = button.title;
  }

  /** Where a pointer is in the house [mm], on the grid, or at a corner that is near. */
  #at(event) {
    const on = new DOMPoint(event.clientX, event.clientY).matrixTransform(this.svg.getScreenCTM().inverse());
    const free = [(on.x - this.origin[0]) / this.scale, (this.origin[1] - on.y) / this.scale];
    const near = this.mode === "move" ? null : this.#corners().find((corner) => Math.hypot(corner[0] - free[0], corner[1] - free[1]) * this.scale < NEAR_PX);
    const grid = this.inches ? 25.4 : GRID_MM;
    return near ?? free.map((value) => Math.round(value / grid) * grid);
  }

  #corners() {
    this.known ??= [...document.querySelectorAll(".house-part")].flatMap((part) => JSON.parse(part.dataset.corners));
    return this.known;
  }

  #text(mm) {
    return this.inches ? String(Math.round((mm / 25.4) * 16) / 16) : String(Math.round(mm));
  }

  #start(event) {
    if (event.button !== 0) return;
    const body = event.target.closest(".station[data-key]");
    if (this.mode === "move" && !body) return;
    event.preventDefault();
    const from = this.#at(event);
    const shape = document.createElementNS("http://www.w3.org/2000/svg", "path");
    shape.setAttribute("class", "stretch");
    this.svg.querySelector(".all").append(shape);
    let to = from;
    const sheet = ([x, y]) => [this.origin[0] + x * this.scale, this.origin[1] - y * this.scale];
    const move = (next) => {
      to = this.#at(next);
      if (this.mode === "wall") to = Math.abs(to[0] - from[0]) > Math.abs(to[1] - from[1]) ? [to[0], from[1]] : [from[0], to[1]];
      const [a, b] = [sheet(from), sheet(to)];
      const line = this.mode === "wall" || this.mode === "move";
      shape.setAttribute("d", line ? `M${a}L${b}` : `M${a}L${b[0]} ${a[1]}L${b}L${a[0]} ${b[1]}Z`);
      this.says.textContent = `${this.#text(Math.abs(to[0] - from[0]))} x ${this.#text(Math.abs(to[1] - from[1]))}`;
    };
    const stop = () => {
      shape.remove();
      const by = [to[0] - from[0], to[1] - from[1]];
      if (Math.hypot(...by) < 1) return;
      if (this.mode === "move") this.#moved(body.dataset.key, by);
      else this.#drawn(from, to);
    };
    drag({move, stop});
  }

  #moved(id, by) {
    this.page
      .edit([{do: "move_station", id, by: [...by, 0]}])
      .then((stored) => stored && location.reload())
      .catch((error) => this.page.say(error.message, true));
  }

  /** What was drawn, as the line of the house that says it: the server writes it. */
  async #drawn(from, to) {
    const drawn = {kind: this.mode, level: this.holder.dataset.level, from, to};
    try {
      const {body} = await this.page.post("survey/drawn", drawn);
      this.text.value = body.text;
      this.text.focus();
      this.says.textContent = "say the rest on the line, then Enter";
    } catch (error) {
      this.page.say(error.message, true);
    }
  }
}

/** Wire the plan of the survey. */
export function startPlan(page) {
  const holder = document.getElementById("plan");
  if (holder?.querySelector("svg")) new Plan(page, holder);
}
