/** The player of the order of assembly: arrow keys and a swipe go from step to step. */
const SWIPE_PX = 60;

export function startAssembly() {
  const player = document.querySelector(".player");
  if (!player) return;
  const go = (way) => player.querySelector(`[rel=${way}]`)?.click();
  document.addEventListener("keydown", (event) => {
    if (event.target.matches("input, select, textarea") || event.altKey || event.ctrlKey || event.metaKey) return;
    if (event.key === "ArrowRight") go("next");
    if (event.key === "ArrowLeft") go("prev");
  });
  let from = null;
  player.addEventListener("touchstart", (event) => {
    from = event.touches[0].clientX;
  }, {passive: true});
  player.addEventListener("touchend", (event) => {
    const moved = from === null ? 0 : event.changedTouches[0].clientX - from;
    from = null;
    if (Math.abs(moved) >= SWIPE_PX) go(moved < 0 ? "next" : "prev");
  }, {passive: true});
}
