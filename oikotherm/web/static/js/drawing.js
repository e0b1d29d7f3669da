/** The drawing: pan, zoom, fit, projections, and lighting what is pointed at, here and in the chips. */

import {drag} from "./drag.js";

const NEAR = 1.7; // from this zoom on, labels that had no room are shown
const STEP = 1.25;

class Drawing {
  constructor(page, sheet) {
    this.page = page;
    this.sheet = sheet;
    this.zoom = 1;
    this.centre = null;
    this.view = {view: "iso", turns: 0, ...readCookie()};
    sheet.addEventListener("wheel", (event) => this.#wheel(event), {passive: false});
    sheet.addEventListener("pointerdown", (event) => this.#drag(event));
    page.addEventListener("changed", () => this.apply());
    let waiting;
    window.addEventListener("resize", () => {
      clearTimeout(waiting);
      waiting = setTimeout(() => this.measure(), 120);
    });
    this.apply();
    this.measure();
  }

  get svg() {
    return this.sheet.querySelector("svg");
  }

  /** Put other SVG text in place, for a ghost, keeping pan and zoom; who has drawn on it draws again. */
  show(html) {
    const was = this.svg ? this.#full(this.svg) : null;
    this.sheet.innerHTML = html;
    const now = this.svg ? this.#full(this.svg) : null;
    if (was && now && this.centre) {
      // drawn for another size: what was in the middle stays there
      this.centre = {x: (this.centre.x * now.width) / was.width, y: (this.centre.y * now.height) / was.height};
    }
    this.apply();
    this.sheet.dispatchEvent(new Event("drawn"));
  }

  /** Show the part of the sheet that pan and zoom ask for; labels keep their size. */
  apply() {
    const svg = this.svg;
    if (!svg) return;
    const {width, height} = this.#full(svg);
    this.centre ??= {x: width / 2, y: height / 2};
    const w = width / this.zoom;
    const h = height / this.zoom;
    svg.setAttribute("viewBox", `${this.centre.x - w / 2} ${this.centre.y - h / 2} ${w} ${h}`);
    const scale = Math.min(svg.clientWidth / w, svg.clientHeight / h) || 1;
    svg.style.setProperty("--k", String(1 / scale));
    svg.classList.toggle("near", this.zoom >= NEAR);
    const fits = this.zoom === 1 && Math.abs(this.centre.x - width / 2) + Math.abs(this.centre.y - height / 2) < 0.5;
    document.querySelector("[data-act=fit]").disabled = fits;
    document.querySelector("[data-act=turn]").disabled = !["iso", "plan"].includes(this.view.view);
  }

  #full(svg) {
    svg.dataset.full ??= svg.getAttribute("viewBox");
    const [, , width, height] = svg.dataset.full.split(" ").map(Number);
    return {width, height};
  }

  zoomBy(factor, at) {
    const zoom = Math.min(Math.max(this.zoom * factor, 0.5), 24);
    const spot = at ?? this.centre;
    const share = this.zoom / zoom;
    this.centre = {x: spot.x + (this.centre.x - spot.x) * share, y: spot.y + (this.centre.y - spot.y) * share};
    this.zoom = zoom;
    this.apply();
  }

  fit() {
    this.zoom = 1;
    this.centre = null;
    this.apply();
  }

  /** Where a pointer is on the sheet. */
  #point(event) {
    const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(this.svg.getScreenCTM().inverse());
    return {x: at.x, y: at.y};
  }

  #wheel(event) {
    event.preventDefault();
    this.zoomBy(event.deltaY < 0 ? STEP : 1 / STEP, this.#point(event));
  }

  #drag(event) {
    if (event.button !== 0) return;
    const from = this.#point(event);
    const move = (next) => {
      const to = this.#point(next);
      this.centre = {x: this.centre.x - (to.x - from.x), y: this.centre.y - (to.y - from.y)};
      this.apply();
    };
    drag({move});
  }

  /** Ask for the drawing in another projection, or the next quarter turn. */
  async project(change) {
    Object.assign(this.view, change);
    this.fit();
    this.#remember();
    for (const button of document.querySelectorAll("[data-view]")) {
      button.setAttribute("aria-pressed", String(button.dataset.view === this.view.view));
    }
    await this.refresh();
  }

  /** Lines of measure on or off. */
  toggleDims(button = document.querySelector("[data-act=dims]")) {
    const on = button.getAttribute("aria-pressed") !== "true";
    button.setAttribute("aria-pressed", String(on));
    return this.project({dims: on ? "on" : "off"});
  }

  turn() {
    return this.project({turns: (Number(this.view.turns) + 1) % 4});
  }

  /** Fetch the drawing anew for the present size and projection. */
  async refresh() {
    const asked = (this.asked = (this.asked ?? 0) + 1);
    const response = await fetch(this.page.url("drawing"), {headers: {Accept: "application/json"}}).catch(() => null);
    if (!response?.ok) return;
    const answer = await response.json();
    if (asked !== this.asked) return;
    this.show(answer.fragments.drawing);
    const {drawing: _, ...others} = answer.fragments;
    this.page.put(others);
  }

  /** Tell the server how large the sheet is; redraw if it drew for another size. */
  measure() {
    const w = Math.floor(this.sheet.clientWidth / 4) * 4;
    const h = Math.floor(this.sheet.clientHeight / 4) * 4;
    if (!w || !h) return;
    const {width, height} = this.#full(this.svg);
    Object.assign(this.view, {w, h});
    this.#remember();
    if (Math.abs(width - w) > 3 || Math.abs(height - h) > 3) {
      this.centre = null;
      this.refresh();
    }
  }

  #remember() {
    const text = Object.entries(this.view).map(([name, value]) => `${name}=${value}`).join("&");
    document.cookie = `sheet=${text}; path=/; max-age=31536000; SameSite=Strict`;
  }

  /** Light what belongs to an item, a key or a run; with nothing, put all out. */
  light({item, key, run} = {}) {
    for (const lit of document.querySelectorAll(".lit")) lit.classList.remove("lit");
    const select = item ? `[data-items~="${item}"],[data-item="${item}"]` : key ? `[data-key="${key}"]` : run ? `[data-run="${run}"]` : "";
    if (!select) return;
    for (const found of document.querySelectorAll(`.drawing :is(${select}), .chip:is(${select})`)) found.classList.add("lit");
  }
}

function readCookie() {
  const found = document.cookie.split("; ").find((part) => part.startsWith("sheet="));
  return found ? Object.fromEntries(found.slice(6).split("&").map((pair) => pair.split("="))) : {};
}

/** Wire the board of Pace-out; null on pages without one. */
export function startDrawing(page) {
  const sheet = document.getElementById("sheet");
  if (!sheet || !page.isJob) return null;
  const drawing = new Drawing(page, sheet);
  document.querySelector(".tools.more").addEventListener("change", (event) => {
    const {filter} = event.target.dataset;
    if (filter) drawing.project({[filter]: event.target.value});
  });
  for (const bar of document.querySelectorAll(".tools")) bar.addEventListener("click", (event) => {
    const button = event.target.closest("button");
    if (!button) return;
    if (button.dataset.view) drawing.project({view: button.dataset.view, turns: button.dataset.view === "iso" ? drawing.view.turns : 0});
    if (button.dataset.act === "dims") drawing.toggleDims(button);
    const acts = {turn: () => drawing.turn(), fit: () => drawing.fit(), in: () => drawing.zoomBy(STEP), out: () => drawing.zoomBy(1 / STEP)};
    acts[button.dataset.act]?.();
  });
  document.addEventListener("pointerover", (event) => {
    const part = event.target.closest?.(".drawing [data-items], .chip");
    if (part?.dataset.item) drawing.light({item: part.dataset.item});
    else if (part) {
      drawing.light();
      for (const item of part.dataset.items.split(" ")) {
        for (const found of document.querySelectorAll(`[data-items~="${item}"],[data-item="${item}"]`)) found.classList.add("lit");
      }
    } else if (event.target.closest?.(".run-id")) drawing.light({run: event.target.closest(".run").dataset.run});
    else if (event.target.closest?.(".finding")) drawing.light({key: event.target.closest(".finding").dataset.where.split(" ").at(-1)});
    else drawing.light();
  });
  document.addEventListener("focusin", (event) => {
    if (event.target.classList?.contains("chip")) drawing.light({item: event.target.dataset.item});
  });
  return drawing;
}
