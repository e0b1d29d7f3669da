/** The drawing beside a list: what the list is at is lit and ringed; pressing a thing on it leads to its row. */

const SVG = "http://www.w3.org/2000/svg";
const FOLDED = "oikotherm:where";
const LEAST = 13; // radius of a ring, px of the screen
const NEAR = 110; // the least width of the view from near, units of the sheet
const UNMADE = "[data-lights]:has([data-field=made][aria-pressed=false])";
const WAIT = 60; // ms the pointer rests before another level is asked for

class Where {
  constructor(page, board) {
    this.page = page;
    this.board = board;
    this.sheet = board.querySelector(".where-sheet");
    this.close = board.querySelector(".where-close");
    this.said = board.querySelector(".where-said");
    this.fold = board.querySelector(".where-fold");
    this.row = null;
    this.rev = page.rev;
    this.show(localStorage.getItem(FOLDED) !== "hidden");
    this.fold.addEventListener("click", () => {
      const shown = this.fold.getAttribute("aria-expanded") !== "true";
      localStorage.setItem(FOLDED, shown ? "shown" : "hidden");
      this.show(shown);
    });
    this.sheet.addEventListener("click", (event) => this.#press(event));
    page.addEventListener("changed", () => this.rev !== page.rev && this.fetch(this.tokens[0] ?? ""));
    window.addEventListener("resize", () => this.light());
  }

  get svg() {
    return this.sheet.querySelector("svg");
  }

  get tokens() {
    return (this.row?.dataset.lights ?? "").split(" ").filter(Boolean);
  }

  show(shown) {
    this.fold.setAttribute("aria-expanded", String(shown));
    this.board.classList.toggle("folded", !shown);
    if (!shown) return;
    if (!this.svg) this.fetch(this.tokens[0] ?? "");
    else this.light();
  }

  /** Ask for the drawing on which a thing lies. */
  async fetch(on) {
    if (!this.board.dataset.from || this.board.classList.contains("folded")) return;
    const asked = (this.asked = (this.asked ?? 0) + 1);
    const w = Math.max(Math.round(this.sheet.clientWidth), 240);
    const h = Math.max(Math.round(this.sheet.clientHeight), 240);
    const query = new URLSearchParams({on, w, h});
    const response = await fetch(`${this.board.dataset.from}?${query}`, {headers: {Accept: "application/json"}}).catch(() => null);
    const answer = response?.ok ? await response.json().catch(() => null) : null;
    if (asked !== this.asked || !answer) return;
    this.sheet.innerHTML = answer.html;
    this.copy = null;
    this.missing = on;
    this.level = answer.level;
    this.rev = answer.rev;
    this.light();
  }

  /** The row the list is at. */
  at(row) {
    if (row === this.row) return;
    this.row?.classList.remove("at-row");
    this.row = row;
    row.classList.add("at-row");
    this.light();
  }

  /** What is drawn of these: by key or run; of a port what is screwed into it, else its station. */
  #found(tokens) {
    const words = tokens.map((one) => CSS.escape(one));
    const ways = [
      (one) => `[data-key="${one}"]:not(.l)`,
      (one) => `.pipe[data-run="${one}"]`,
      (one) => `[data-key^="${one}/"]`,
      (one) => `.station[data-key="${one.split("\\.")[0]}"]`,
    ];
    for (const way of ways) {
      const found = words.length ? [...this.svg.querySelectorAll(words.map(way).join())] : [];
      if (found.length) return found;
    }
    return [];
  }

  /** Light what the row is about, with a ring round it; a thing on another level of a large job is asked for. */
  light() {
    const {svg, tokens} = this;
    if (!svg) return;
    for (const old of svg.querySelectorAll(".lit")) old.classList.remove("lit");
    svg.querySelector(".ring")?.remove();
    const scale = Math.min(svg.clientWidth / svg.viewBox.baseVal.width, svg.clientHeight / svg.viewBox.baseVal.height) || 1;
    svg.style.setProperty("--k", String(1 / scale));
    let found = this.#found(tokens);
    if (!found.length && tokens.length && this.level && this.missing !== tokens[0]) {
      clearTimeout(this.waiting);
      this.waiting = setTimeout(() => this.fetch(tokens[0]), WAIT);
    }
    if (!found.length) found = this.#found((this.row?.dataset.lightsElse ?? "").split(" ").filter(Boolean));
    svg.classList.toggle("lighting", found.length > 0);
    this.board.classList.remove("is-near");
    const words = this.row?.dataset.label ?? this.row?.id ?? "";
    if (words) this.said.textContent = found.length ? words : `${words}: not on the drawing`;
    if (!found.length) return;
    for (const one of found) one.classList.add("lit");
    this.#ring(svg, found, scale);
  }

  /** The same drawing from near, beside or below; copied once, then only moved. at: the middle of what is lit; half: its
   *  size, units of the sheet. */
  #near(svg, at, half) {
    this.board.classList.add("is-near");
    if (!this.copy) {
      this.copy = svg.cloneNode(true);
      this.copy.removeAttribute("id");
      this.close.replaceChildren(this.copy);
    }
    const wide = Math.max(half * 2.6, NEAR);
    const high = (wide * this.close.clientHeight) / (this.close.clientWidth || 1);
    this.copy.setAttribute("viewBox", `${at.x - wide / 2} ${at.y - high / 2} ${wide} ${high}`);
    this.copy.style.setProperty("--k", String(wide / (this.close.clientWidth || 1)));
    this.#mark(this.copy, svg.querySelectorAll(".lit"));
    const ring = svg.querySelector(".ring");
    if (ring) this.copy.append(ring.cloneNode());
  }

  /** Put out what was lit on the copy, and light there what is lit on the drawing. */
  #mark(copy, lit) {
    for (const old of copy.querySelectorAll(".lit")) old.classList.remove("lit");
    copy.querySelector(".ring")?.remove();
    copy.classList.add("lighting");
    for (const one of lit) {
      const found = copy.querySelectorAll(`[data-key="${CSS.escape(one.dataset.key)}"]:not(.l)`);
      for (const same of found) same.classList.add("lit");
    }
  }

  #ring(svg, found, scale) {
    const boxes = found.map((one) => one.getBoundingClientRect()).filter((box) => box.width + box.height > 0);
    if (!boxes.length) return;
    const left = Math.min(...boxes.map((box) => box.left));
    const right = Math.max(...boxes.map((box) => box.right));
    const top = Math.min(...boxes.map((box) => box.top));
    const bottom = Math.max(...boxes.map((box) => box.bottom));
    const at = new DOMPoint((left + right) / 2, (top + bottom) / 2).matrixTransform(svg.getScreenCTM().inverse());
    const half = Math.hypot(right - left, bottom - top) / 2;
    const large = half > 90; // what is as large as a run needs no ring
    if ((half / scale) * 2.6 > svg.viewBox.baseVal.width * 0.7) return;
    const ring = document.createElementNS(SVG, "circle");
    ring.setAttribute("class", "ring");
    ring.setAttribute("cx", at.x);
    ring.setAttribute("cy", at.y);
    ring.setAttribute("r", Math.max(half + 3, LEAST) / scale);
    if (!large) svg.append(ring);
    this.#near(svg, at, half / scale);
  }

  /** To the row of what was pressed: its own, or one of its run. */
  #press(event) {
    const part = event.target.closest("[data-key], [data-run]");
    if (!part) return;
    const rows = [part.dataset.key, part.dataset.run]
      .filter(Boolean)
      .map((one) => document.querySelector(`[data-lights~="${CSS.escape(one)}"]`));
    const row = rows.find(Boolean);
    if (!row) {
      this.said.textContent = `${part.querySelector("title")?.textContent ?? part.dataset.run}: not in this part of the list`;
      return;
    }
    for (let up = row.closest("details"); up; up = up.parentElement.closest("details")) up.open = true;
    this.at(row);
    row.scrollIntoView({block: "center", behavior: matchMedia("(prefers-reduced-motion: reduce)").matches ? "auto" : "smooth"});
    row.querySelector("a, button, summary, input")?.focus({preventScroll: true});
  }
}

/** Wire the drawing beside the list of this page. */
export function startWhere(page) {
  const board = document.getElementById("where");
  if (!board || !page.isJob) return;
  const where = new Where(page, board);
  const of = (target) => target.closest?.("[data-lights]");
  const begin = ["[data-lights]:target", "li.now[data-lights]", UNMADE, "[data-lights]"]
    .map((one) => document.querySelector(one))
    .find(Boolean);
  if (begin && board.dataset.from) where.at(begin); // a drawing with a tale of its own is first shown whole
  for (const name of ["pointerover", "focusin", "click"]) {
    document.addEventListener(name, (event) => {
      const row = of(event.target);
      if (row) where.at(row);
    });
  }
  // a thumb has no pointer that rests: what has come under the drawing is what the list is at
  if (!matchMedia("(hover: none)").matches) return;
  let asked = 0;
  document.addEventListener("scroll", () => {
    cancelAnimationFrame(asked);
    asked = requestAnimationFrame(() => {
      const under = board.getBoundingClientRect().bottom;
      const row = of(document.elementFromPoint(innerWidth / 2, Math.max(under, 0) + 60) ?? document.body);
      if (row) where.at(row);
    });
  }, {capture: true, passive: true});
}
