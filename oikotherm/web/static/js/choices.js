/** Selects that change the job: the unit in the strip, the joint of metal pipe above the cut list. */

/** Wire them, the forms that let a finding stand, and the rows and treads that light their pipe. */
export function startChoices(page) {
  if (!page.isJob) return;
  document.addEventListener("change", (event) => {
    const {target} = event;
    const failed = (error) => page.say(error.message, true);
    if (target.id === "units") {
      // every length on the page changes its face, so the page is drawn anew
      page.edit([{do: "set_job", pace_unit: target.value}]).then((stored) => stored && location.reload()).catch(failed);
    }
    if ((target.id === "joint-method" || target.id === "joint-chain") && target.value) {
      const field = target.id === "joint-method" ? "method" : "chain";
      const override = {target: target.dataset.target, field, value: target.value, reason: "chosen on the card"};
      page.edit([{do: "put_override", override}]).then((stored) => stored && location.reload()).catch(failed);
    }
    if (target.dataset.runState) page.edit([{do: "set_state", run: target.dataset.runState, state: target.value}]).catch(failed);
    if (target.dataset.topic) {
      const then = (stored) => stored && target.dataset.then === "reload" && location.reload();
      page.edit([{do: "choose", topic: target.dataset.topic, option: target.value}]).then(then).catch(failed);
    }
  });
  document.addEventListener("submit", (event) => {
    const form = event.target.closest("form.waive");
    if (!form) return;
    event.preventDefault();
    const command = {do: "waive", rule: form.dataset.rule, where: form.dataset.at, reason: form.elements.reason.value};
    page.edit([command]).catch((error) => page.say(error.message, true));
  });
  const bars = () => {
  };
  bars();
  page.addEventListener("changed", bars);
  const light = (event) => {
    const part = event.target.closest?.("[data-keys]");
    if (document.getElementById("sheet") || document.getElementById("where")) return; // these light their own
    for (const lit of document.querySelectorAll(".lit")) lit.classList.remove("lit");
    if (!part) return;
    part.classList.add("lit");
    for (const key of part.dataset.keys.split(" ")) {
      for (const found of document.querySelectorAll(`.drawing [data-key="${key}"], [data-keys~="${key}"]`)) found.classList.add("lit");
    }
  };
  document.addEventListener("pointerover", light);
  document.addEventListener("focusin", light);
}
