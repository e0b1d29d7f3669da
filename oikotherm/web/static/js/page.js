/** The page of a job: its revision, sending edits, and putting the parts the server renders in place. */

const LATER_MS = 700;
const NO_ANSWER = "The server does not answer. Nothing typed is lost; send it again when it is back.";

/** What the server refused: field, said, expected, example, where. */
export class Refused extends Error {
  constructor(error) {
    super(`read "${error.said}", expected ${error.expected}${error.example ? `, for example ${error.example}` : ""}`);
    this.error = error;
  }
}

/** The server could not be reached, or failed. */
export class Unreachable extends Error {}

class Page extends EventTarget {
  constructor(main) {
    super();
    this.main = main;
    this.uid = main?.dataset.uid ?? "";
    this.rev = Number(main?.dataset.rev ?? 0);
    this.name = main?.dataset.page ?? "";
  }

  get isJob() {
    return this.uid !== "";
  }

  url(path) {
    return `/jobs/${this.uid}/${path}`;
  }

  /** Post JSON. Gives {status, body}; throws Refused for 422 and Unreachable when no answer can be had. */
  async post(path, body) {
    const token = document.querySelector("meta[name=csrf]").content;
    let response;
    try {
      response = await fetch(this.url(path), {
        method: "POST",
        headers: {"Content-Type": "application/json", Accept: "application/json", "X-CSRFToken": token},
        body: JSON.stringify(body),
      });
    } catch {
      throw new Unreachable(NO_ANSWER);
    }
    if (response.status >= 500) throw new Unreachable(NO_ANSWER);
    const answer = await response.json();
    if (response.status !== 200 && response.status !== 409) throw new Refused(answer.error);
    return {status: response.status, body: answer};
  }

  /** Send commands made on the revision shown. True when stored; false when somebody was faster. */
  async edit(commands) {
    return this.#send("edit", {rev: this.rev, page: this.name, commands, whole: this.#whole(), part: this.#part()});
  }

  /** "undo" or "redo". */
  async step(way) {
    return this.#send(way, {rev: this.rev, page: this.name, whole: this.#whole(), part: this.#part()});
  }

  /** The runs whose chips were asked for, where a job has too many to show all. */
  #whole() {
    if (!document.querySelector("[data-whole]")) return [];
    return [...document.querySelectorAll(".run .chips")].map((chips) => chips.closest(".run").dataset.run);
  }

  /** The block of a long list that is shown. */
  #part() {
    const shown = document.querySelector(".work .blocks [aria-current]");
    return shown ? new URLSearchParams(shown.search).get("part") : "";
  }

  async #send(path, body) {
    this.saved("sending", "waiting");
    try {
      const {status, body: answer} = await this.post(path, body);
      this.take(answer);
      this.say(answer.message, status === 409);
      return status === 200;
    } catch (error) {
      this.saved(error instanceof Unreachable ? "not sent" : "saved", error instanceof Unreachable ? "lost" : "");
      if (error instanceof Unreachable) this.say(error.message, true);
      throw error;
    }
  }

  /** Show parts of the page again that have come later than the page; nothing is said when they cannot be had. */
  async fetchPart(path) {
    const response = await fetch(this.url(path), {headers: {Accept: "application/json"}}).catch(() => null);
    if (!response?.ok) return;
    const answer = await response.json();
    if (response.status === 202) setTimeout(() => this.fetchPart(path), LATER_MS); // a worker is at it
    else if (answer.rev === this.rev) this.take(answer);
  }

  /** Put parts the server renders in place of the old ones, by id; what was open stays open. */
  put(fragments) {
    for (const [id, html] of Object.entries(fragments)) {
      const old = document.getElementById(id);
      if (!old) continue;
      const open = new Set([...old.querySelectorAll("details[open]")].map((one) => one.dataset.where ?? ""));
      const holder = document.createElement("template");
      holder.innerHTML = html.trim();
      old.replaceWith(holder.content);
      for (const one of document.getElementById(id).querySelectorAll("details[data-where]")) {
        if (open.has(one.dataset.where)) one.open = true;
      }
    }
  }

  /** Put the server's parts in place of the old ones and move to its revision. */
  take(answer) {
    const {id: focus, dataset: {commands} = {}} = document.activeElement ?? {};
    this.put(answer.fragments ?? {});
    this.rev = answer.rev;
    this.main.dataset.rev = answer.rev;
    if (document.activeElement === document.body) {
      const remedies = commands ? [...document.querySelectorAll("[data-commands]")] : [];
      const again = focus ? document.getElementById(focus) : remedies.find((one) => one.dataset.commands === commands);
      again?.focus();
    }
    this.dispatchEvent(new CustomEvent("changed", {detail: answer}));
  }

  saved(text, state) {
    const place = document.getElementById("saved");
    if (!place) return;
    place.textContent = text;
    place.parentElement.classList.toggle("waiting", state === "waiting");
    place.parentElement.classList.toggle("lost", state === "lost");
  }

  /** A word to the fitter above the work; empty takes it away. */
  say(text, bad = false) {
    const banner = document.getElementById("banner");
    if (!banner) return;
    banner.textContent = text ?? "";
    banner.hidden = !text;
    banner.classList.toggle("bad", bad);
  }
}

/** Make the page and wire what every page of a job has: undo, redo, watch list, remedies, printing. */
export function startPage() {
  const page = new Page(document.querySelector("main[data-uid]"));
  document.addEventListener("click", (event) => {
    const opener = event.target.closest("[data-opens]");
    if (opener) document.getElementById(opener.dataset.opens).showModal();
    if (event.target.closest("[data-act=print]")) window.print();
  });
  if (!page.isJob) return page;
  const fetchLater = (event) => {
    const later = event.target.open && event.target.querySelector("[data-later]");
    if (later) page.fetchPart(later.dataset.later);
  };
  document.addEventListener("toggle", fetchLater, true);
  for (const open of document.querySelectorAll("details.finding[open]")) fetchLater({target: open});
  document.addEventListener("submit", (event) => {
    const step = event.submitter?.dataset.step;
    if (!step) return;
    event.preventDefault();
    page.step(step).catch(() => {});
  });
  document.addEventListener("click", (event) => {
    const remedy = event.target.closest("[data-commands]");
    if (!remedy) return;
    const then = () => remedy.dataset.then === "reload" && location.reload();
    page.edit(JSON.parse(remedy.dataset.commands)).then(then).catch((error) => page.say(error.message, true));
  });
  const toggle = document.getElementById("watch-toggle");
  const showWatch = (shown) => {
    document.body.classList.toggle("no-watch", !shown);
    toggle.setAttribute("aria-expanded", String(shown));
  };
  // where findings do not matter it is folded until asked for; each of the two kinds of page remembers
  const folds = Boolean(page.main?.dataset.folds);
  const kept = folds ? "oikotherm:watch aside" : "oikotherm:watch";
  showWatch((localStorage.getItem(kept) ?? (folds ? "hidden" : "shown")) !== "hidden");
  const first = page.rev;
  page.addEventListener("changed", ({detail}) => page.main.dataset.anew && detail.rev !== first && location.reload());
  toggle.addEventListener("click", () => {
    const shown = document.body.classList.contains("no-watch");
    localStorage.setItem(kept, shown ? "shown" : "hidden");
    showWatch(shown);
    window.dispatchEvent(new Event("resize"));
  });
  return page;
}
