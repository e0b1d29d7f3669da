/** Running tests: each asks for its card every two seconds while the page is looked at, through reloads and restarts. */

const EVERY_MS = 2000;

/** Wire the running tests of the page. */
export function startLive() {
  for (const test of document.querySelectorAll("[data-live]")) follow(test);
}

function follow(test) {
  const card = test.querySelector(".live-card");
  const ask = async () => {
    if (!document.hidden) {
      try {
        const answer = await fetch(test.dataset.live, {headers: {Accept: "application/json"}});
        if (answer.ok) {
          const {fragment, ended} = await answer.json();
          card.innerHTML = fragment;
          card.classList.remove("lost");
          if (ended) return location.reload();
        }
      } catch {
        card.classList.add("lost");  // the server is away: the last reading stays, and it is asked again
      }
    }
    setTimeout(ask, EVERY_MS);
  };
  setTimeout(ask, EVERY_MS);
}
