/** Follow a pointer from where it was pressed until it is let go or taken away. */
export function drag({move, stop = () => {}}) {
  const end = (event) => {
    window.removeEventListener("pointermove", move);
    window.removeEventListener("pointerup", end);
    window.removeEventListener("pointercancel", end);
    stop(event);
  };
  window.addEventListener("pointermove", move);
  window.addEventListener("pointerup", end);
  window.addEventListener("pointercancel", end);
}
