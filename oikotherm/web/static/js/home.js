/** Home: each job's drawing and standing come when its card is seen; the invitation draws itself once. Hints of all pages. */

const KEPT = "oikotherm:seen ";

export function startHome() {
  const cards = document.querySelectorAll(".job-card [data-later]");
  if (cards.length) {
    const watcher = new IntersectionObserver((seen) => {
      for (const {isIntersecting, target} of seen) {
        if (!isIntersecting) continue;
        watcher.unobserve(target);
        fill(target);
      }
    }, {rootMargin: "200px"});
    for (const card of cards) watcher.observe(card);
  }
  for (const hint of document.querySelectorAll("[data-hint]")) showHint(hint);
  const invite = document.querySelector("[data-once]");
  if (invite) drawOnce(invite);
}

/** The next useful act, until it is put away. */
function showHint(hint) {
  const name = `${KEPT}hint ${hint.dataset.hint}`;
  hint.hidden = Boolean(localStorage.getItem(name));
  hint.querySelector("button").addEventListener("click", () => {
    localStorage.setItem(name, "yes");
    hint.hidden = true;
  });
}

async function fill(place) {
  const response = await fetch(place.dataset.later, {headers: {Accept: "application/json"}}).catch(() => null);
  if (!response?.ok) return;
  const holder = document.createElement("template");
  holder.innerHTML = (await response.json()).html.trim();
  place.replaceWith(holder.content);
}

/** Word by word, each with its piece of pipe; not for those who asked for stillness, and only the first time. */
function drawOnce(invite) {
  const name = KEPT + invite.dataset.once;
  if (matchMedia("(prefers-reduced-motion: reduce)").matches || localStorage.getItem(name)) return;
  localStorage.setItem(name, "yes");
  invite.classList.add("drawing-on");
  const parts = [...invite.querySelectorAll("[data-leg]")];
  const last = Math.max(...parts.map((one) => Number(one.dataset.leg)));
  for (let leg = 1; leg <= last; leg++) {
    setTimeout(() => {
      for (const one of parts) if (Number(one.dataset.leg) === leg) one.classList.add("there");
    }, 500 + leg * 650);
  }
}
