/** Long lists: tables that sort by any column, and a word that leaves only the rows that have it. */

const FEW = 6; // rows from which a table is worth sorting
const MANY = 13; // rows from which a list is worth filtering
const IN_ORDER = ".clip-table, .notation, .practice-table, .working, .sim-table, [data-ordered]"; // rows that belong as they stand
const INCHES = /^(?:(\d+)'\s*)?(?:(\d+)(?:-|\s)?)?(?:(\d+)\/(\d+))?"/;
const collator = new Intl.Collator("en", {numeric: true, sensitivity: "base"});

const FIGURE = /^([-\u2212]?\d[\d\u00a0\u202f,]*(?:\.\d+)?)(?=\s|$|[^\d/'"A-Za-z])/;

/** What a cell says: its figure, of feet and inches in inches, or null; and its text. */
function said(cell) {
  const field = cell.querySelector("input, select");
  const text = (field ? field.value : cell.textContent).replace(/\s+/g, " ").trim();
  const length = text.includes('"') || /^\d+'/.test(text) ? text.match(INCHES) : null;
  if (length) {
    const [, feet, inches, over, under] = length.map((one) => Number(one ?? 0));
    return {figure: feet * 12 + inches + (under ? over / under : 0), text};
  }
  const figure = text
    .match(FIGURE)?.[1]
    .replace(/[\u00a0\u202f]|,(?=\d{3}(?:\D|$))/g, "") // thousands
    .replace(",", ".")
    .replace("\u2212", "-");
  return {figure: figure === undefined ? null : Number(figure), text};
}

/** Figures by their size, before words; empty cells last. */
function compare(a, b) {
  if (a.figure !== null && b.figure !== null) return a.figure - b.figure || collator.compare(a.text, b.text);
  if ((a.figure === null) !== (b.figure === null)) return a.figure === null ? 1 : -1;
  return collator.compare(a.text, b.text);
}

function sortable(table) {
  const heads = [...(table.tHead?.rows[0]?.cells ?? [])];
  const body = table.tBodies[0];
  if (!body || heads.length < 2 || table.matches(IN_ORDER) || table.closest("dialog")) return;
  const rows = [...body.rows];
  if (rows.length < FEW || rows.some((row) => row.cells.length !== heads.length)) return;
  heads.forEach((head, column) => {
    if (!head.textContent.trim() || head.querySelector("button")) return;
    const button = document.createElement("button");
    button.type = "button";
    button.className = "sort";
    button.title = "Sort by this; again turns it round, once more puts it back";
    button.append(...head.childNodes);
    head.append(button);
    button.addEventListener("click", () => {
      const way = {none: "ascending", ascending: "descending", descending: "none"}[head.ariaSort ?? "none"];
      for (const one of heads) one.removeAttribute("aria-sort");
      const sign = way === "descending" ? -1 : 1;
      const keyed = rows.map((row) => [said(row.cells[column]), row]);
      if (way !== "none") {
        head.setAttribute("aria-sort", way);
        keyed.sort(([a], [b]) => Number(a.text === "") - Number(b.text === "") || sign * compare(a, b));
      }
      body.append(...keyed.map(([, row]) => row));
    });
  });
}

/** Show the filter of a list that is long, and let it work; it stays as typed when parts of the page come anew. */
function filterable(bar) {
  const rows = () => [...document.querySelectorAll(bar.dataset.filters)];
  if (rows().length < MANY) return;
  bar.hidden = false;
  const field = bar.querySelector("input");
  const left = bar.querySelector("[role=status]");
  const apply = () => {
    const words = field.value.toLowerCase().split(/\s+/).filter(Boolean);
    let shown = 0;
    for (const row of rows()) {
      const text = `${row.dataset.label ?? ""} ${row.textContent}`.toLowerCase();
      row.hidden = !words.every((word) => text.includes(word));
      shown += !row.hidden;
    }
    left.textContent = words.length ? `${shown} of ${rows().length}` : "";
  };
  if (!bar.dataset.wired) {
    bar.dataset.wired = "yes";
    field.addEventListener("input", apply);
    field.addEventListener("keydown", (event) => {
      if (event.key === "Enter") event.preventDefault();
      if (event.key !== "Escape") return;
      field.value = "";
      apply();
    });
  }
  apply();
}

/** Wire the tables and lists of the page, and again what an edit has put in their place. */
export function startLists(page) {
  const wire = () => {
    for (const table of document.querySelectorAll("main table.table")) sortable(table);
    for (const bar of document.querySelectorAll("[data-filters]")) filterable(bar);
  };
  wire();
  page.addEventListener("changed", wire);
}
