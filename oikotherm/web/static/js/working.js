/** A page that waits for a worker: asks how it stands, and comes again when it is done. */
const FIRST_MS = 300, LONGEST_MS = 2000, STAYS_MS = 1500;

export function startWorking() {
  const section = document.querySelector("[data-working]");
  if (!section) return;
  const say = (where, words) => (section.querySelector(`[data-${where}]`).textContent = words);
  let wait = FIRST_MS;
  const look = async () => {
    const response = await fetch(`/working/${section.dataset.working}`, {headers: {Accept: "application/json"}}).catch(() => null);
    if (response?.ok) {
      const {state, says, seconds} = await response.json();
      if (state !== "waits" && state !== "works") return done();
      say("says", state === "waits" ? "waits for its turn" : says || "begins");
      say("seconds", seconds);
    }
    wait = Math.min(wait * 1.3, LONGEST_MS);
    setTimeout(look, wait);
  };
  const done = () => {
    const again = section.querySelector(".working-again");
    section.querySelector(".working-bar").hidden = true;
    if (again.method === "post") return again.submit();
    section.querySelector(".working-ready").hidden = false; // a file leaves this page where it is
    location.replace(location.href);
    setTimeout(() => section.removeAttribute("data-working"), STAYS_MS);
  };
  setTimeout(look, wait);
}
