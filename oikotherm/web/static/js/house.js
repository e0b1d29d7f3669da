/** The state of the house: a pipe that is clicked asks what to shut to work there. */

export function startHouse() {
  const map = document.querySelector("[data-house]");
  if (!map) return;
  map.addEventListener("click", (event) => {
    const piece = event.target.closest("[data-key]");
    if (!piece) return;
    location.href = `${map.dataset.house}?at=${encodeURIComponent(piece.dataset.key)}`;
  });
}
