/** Selects that change the job: the unit in the strip, the joint of metal pipe above the cut list. */

/** Wire them. */
export function startChoices(page) {
  if (!page.isJob) return;
  document.addEventListener("change", (event) => {
    const {target} = event;
    const failed = (error) => page.say(error.message, true);
    if (target.id === "units") {
      // every length on the page changes its face, so the page is drawn anew
      page.edit([{do: "set_job", pace_unit: target.value}]).then((stored) => stored && location.reload()).catch(failed);
    }
    if (target.dataset.topic) page.edit([{do: "choose", topic: target.dataset.topic, option: target.value}]).catch(failed);
  });
}
