/** The readings of a backflow assembly while they are typed: marked against the least they pass with. */
const PER_PSI = {psi: 1, kPa: 6.894757};

export function startAssemblies() {
  const form = document.querySelector(".assembly-test");
  if (!form) return;
  const unit = form.elements.unit;
  const fields = [...form.querySelectorAll("[data-least-psi]")];
  const said = form.querySelector(".readings-said");
  const look = () => {
    const per = PER_PSI[unit.value];
    const values = {};
    const short = [];
    for (const field of fields) {
      const least = Number(field.dataset.leastPsi) * per;
      const value = Number(field.value.replace(",", "."));
      const read = field.value.trim() !== "" && !Number.isNaN(value);
      field.parentElement.querySelector("i").textContent = unit.value;
      field.parentElement.querySelector("small").textContent = `${least.toFixed(1)} at least`;
      field.classList.toggle("short-of", read && value < least - 1e-6);
      if (read) values[field.name] = value / per;
      if (read && value < least - 1e-6) short.push(field.parentElement.querySelector("span").textContent);
    }
    if ("check1" in values && "relief" in values && values.check1 - values.relief < 3 - 1e-6)
      short.push(`first check less than ${(3 * per).toFixed(1)} ${unit.value} over the relief`);
    said.textContent = short.length ? `Too low: ${short.join("; ")}` : "";
  };
  form.addEventListener("input", look);
  look();
}
