/** The order of work by phases: what a tick sets free brightens at once, also without a server. */

function unfold(phase) {
  if (phase) phase.open = true;
}

/** What can be done now, from the ticks on the page; phases open as their first step can be done. */
function stand() {
  const done = new Set([...document.querySelectorAll(".steps-list > li.done")].map((one) => one.dataset.key));
  for (const step of document.querySelectorAll(".phase .steps-list > li")) {
    const needs = [...step.querySelectorAll("[data-need]")];
    for (const need of needs) need.hidden = done.has(need.dataset.need);
    const waits = needs.some((need) => !need.hidden);
    const said = step.querySelector(".waits-for");
    if (said) said.hidden = !waits;
    const own = step.classList.contains("done");
    const was = step.classList.contains("now");
    step.classList.toggle("now", !own && !waits);
    step.classList.toggle("waits", !own && waits);
    if (!own && !waits && !was) unfold(step.closest(".phase"));
  }
  for (const phase of document.querySelectorAll(".phase")) {
    phase.querySelector(".phase-count b").textContent = phase.querySelectorAll(".steps-list > li.done").length;
  }
}

/** Wire the page of the order of work. */
export function startOrder(page) {
  if (!page.isJob || !document.querySelector(".phases")) return;
  document.addEventListener("click", (event) => {
    if (event.target.closest("[data-record=step]")) stand();
    if (event.target.id === "open-phases") for (const one of document.querySelectorAll(".phase")) unfold(one);
    const link = event.target.closest(".time-strip a");
    const named = link?.getAttribute("href").split("#")[1];
    if (named) unfold(document.getElementById(named));
  });
  if (location.hash.length > 1) {
    const named = document.getElementById(decodeURIComponent(location.hash.slice(1)));
    unfold(named?.closest(".phase"));
    named?.scrollIntoView();
  }
  stand();
}
