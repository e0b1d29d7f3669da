/** Records made on this phone wait here until the server has them on its disk: in slices, each once, none dropped. */

const PATIENCE_MS = 4000;
const SLICE = 200;

export class Queue {
  constructor(page) {
    this.page = page;
    this.key = `oikotherm:queue:${page.uid}`;
    this.refusedKey = `oikotherm:refused:${page.uid}`;
    this.sending = false;
    this.show();
    setInterval(() => this.flush(), PATIENCE_MS);
    window.addEventListener("online", () => this.flush());
    window.addEventListener("storage", (event) => [this.key, this.refusedKey].includes(event.key) && this.show());
    document.addEventListener("click", (event) => event.target.id === "forget-refused" && this.#forget());
    this.flush();
  }

  get waiting() {
    return read(this.key);
  }

  get refused() {
    return read(this.refusedKey);
  }

  /** Put records in the queue, all in one go; they are safe from here on. */
  add(records) {
    const made_at = new Date().toISOString();
    const list = records.map((record) => ({uuid: uuid(), rev: this.page.rev, made_at, ...record}));
    this.#keep(this.key, [...this.waiting, ...list]);
    return this.flush();
  }

  /** Send what waits, slice by slice. The server keeps each uuid once, so sending twice does no harm. */
  async flush() {
    if (this.sending || !this.waiting.length) return;
    this.sending = true;
    try {
      for (let sent = this.waiting.slice(0, SLICE); sent.length; sent = this.waiting.slice(0, SLICE)) {
        const {body} = await this.page.post("records", {records: sent, sent_at: new Date().toISOString()});
        this.#answered(sent, body);
      }
      this.page.saved("saved", "");
    } catch (error) {
      this.page.saved(error.error ? "not kept" : "no answer", "lost");
      if (error.error) this.page.say(`The marks wait: ${error.error.expected}.`, true);
    } finally {
      this.sending = false;
    }
  }

  /** Take out what was answered. What was refused stays to be seen, with the reason. */
  #answered(sent, body) {
    const why = new Map(body.refused.map((one) => [one.uuid, one.error]));
    const done = new Set([...body.kept, ...why.keys()]);
    if (!sent.some((record) => done.has(record.uuid))) throw new Error("the server answered about other records");
    if (why.size) {
      const lost = sent.filter((record) => why.has(record.uuid));
      this.#keep(this.refusedKey, [...this.refused, ...lost.map((record) => ({record, error: why.get(record.uuid)}))]);
    }
    this.#keep(this.key, this.waiting.filter((record) => !done.has(record.uuid)));
  }

  #forget() {
    localStorage.removeItem(this.refusedKey);
    this.show();
  }

  #keep(key, list) {
    try {
      localStorage.setItem(key, JSON.stringify(list));
    } catch {
      this.page.say("This browser has no room for more marks: let those that wait be sent first.", true);
      throw new Error("no room");
    }
    this.show();
  }

  /** How many wait, and those the server would not keep. */
  show() {
    const place = document.getElementById("queue");
    if (!place) return;
    const count = this.waiting.length;
    place.textContent = count ? `${count} waiting to be sent` : "";
    const refused = this.refused;
    const box = document.getElementById("refused-marks");
    box.hidden = !refused.length;
    if (!refused.length) return;
    box.querySelector("summary").textContent = `${refused.length} not kept`;
    const rows = refused.slice(0, 100).map(({record, error}) => {
      const row = document.createElement("li");
      row.textContent = `${record.label || record.key}, ${record.kind}: read ${error.said || "nothing"}, expected ${error.expected}`;
      return row;
    });
    box.querySelector("ul").replaceChildren(...rows);
  }
}

function read(key) {
  try {
    const found = JSON.parse(localStorage.getItem(key) ?? "[]");
    return Array.isArray(found) ? found : [];
  } catch {
    return [];
  }
}

function uuid() {
  if (crypto.randomUUID) return crypto.randomUUID();
  const bytes = crypto.getRandomValues(new Uint8Array(16)); // pages served without TLS have no randomUUID
  bytes[6] = (bytes[6] & 15) | 64;
  bytes[8] = (bytes[8] & 63) | 128;
  const hex = [...bytes].map((byte) => byte.toString(16).padStart(2, "0")).join("");
  return `${hex.slice(0, 8)}-${hex.slice(8, 12)}-${hex.slice(12, 16)}-${hex.slice(16, 20)}-${hex.slice(20)}`;
}
