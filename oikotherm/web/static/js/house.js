/** The state of the house: a valve that is clicked turns, a pipe that is clicked asks what to shut to work there. */

export function startHouse() {
  const map = document.querySelector("[data-house]");
  if (!map) return;
  map.addEventListener("click", (event) => {
    const {key} = event.target.closest("[data-key]")?.dataset ?? {};
    if (!key) return;
    const valve = document.querySelector(`form.valves input[name="shut"][value="${CSS.escape(key)}"]`);
    if (valve) {
      valve.checked = !valve.checked;
      valve.form.requestSubmit();
      return;
    }
    const there = new URL(map.dataset.house, location.href);
    there.searchParams.set("at", key);
    location.href = there;
  });
}
