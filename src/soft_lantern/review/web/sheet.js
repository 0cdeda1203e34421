// The sheet: a material's parameters as controls. A control shows a value, a list of linear parts, and says what is wanted.

const within = (value, low, high) => Math.min(Math.max(value, low ?? -Infinity), high ?? Infinity);
const rounded = (value) => Number(value.toPrecision(6));

function element(kind, attributes = {}, ...children) {
  const made = document.createElement(kind);
  for (const [name, value] of Object.entries(attributes)) {
    if (name in made && name !== "list") made[name] = value;
    else made.setAttribute(name, value);
  }
  made.append(...children);
  return made;
}

const hexOf = (value) =>
  "#" + value.slice(0, 3).map((part) => Math.round(encoded(within(part, 0, 1)) * 255).toString(16).padStart(2, "0")).join("");
const fromHex = (hex) => [1, 3, 5].map((at) => decoded(parseInt(hex.slice(at, at + 2), 16) / 255));

// The controls of one parameter: what to put into the sheet, and how they show a value.
function controlFor(parameter, limits, id, say) {
  const [low, high] = limits;
  if (parameter.read) return readControl(parameter, id, say);
  if (parameter.kind === "colour") return colourControl(parameter, id, say);
  if (parameter.choices.length) return choiceControl(parameter, id, say);
  if (parameter.use === "switch" || parameter.kind === "switch") return switchControl(id, say);
  if (parameter.width > 1) return fieldsControl(parameter, low, high, id, say);
  return numberControl(parameter, low, high, id, say);
}

// A gradient, palette or texture by its name; its value is an id.
function readControl(parameter, id, say) {
  const options = Object.entries(parameter.names).map(([value, name]) => element("option", { value }, name));
  const made = element("select", { id }, ...options);
  made.addEventListener("change", () => say(made.value));
  const show = (value) => {
    if (!(value in parameter.names) && !made.querySelector("option[hidden]"))
      made.append(element("option", { value, hidden: true }, value || "none"));
    made.value = value;
  };
  return { parts: [made], show };
}

function switchControl(id, say) {
  const box = element("input", { type: "checkbox", id });
  box.addEventListener("change", () => say([box.checked ? 1 : 0]));
  return { parts: [box], show: ([value]) => (box.checked = value > 0.5) };
}

function choiceControl(parameter, id, say) {
  const made = element("select", { id }, ...parameter.choices.map((words, value) => element("option", { value }, words)));
  made.addEventListener("change", () => say([Number(made.value)]));
  return { parts: [made], show: ([value]) => (made.value = String(value)) };
}

function field(parameter, low, high, attributes, say) {
  const step = parameter.use === "whole" ? 1 : "any";
  const made = element("input", { type: "number", step, ...attributes });
  if (low !== null) made.min = low;
  if (high !== null) made.max = high;
  made.addEventListener("change", () => {
    const value = made.valueAsNumber;
    say(Number.isFinite(value) ? within(parameter.use === "whole" ? Math.round(value) : value, low, high) : null);
  });
  return made;
}

function fieldsControl(parameter, low, high, id, say) {
  let shown = [];
  const fields = Array.from({ length: parameter.width }, (_, at) =>
    field(parameter, low, high, { id: at ? `${id}-${at}` : id, "aria-label": `${parameter.label} ${"xyzw"[at]}` }, (value) =>
      say(value === null ? shown : shown.map((each, i) => (i === at ? value : each)))));
  const show = (value) => {
    shown = value;
    fields.forEach((each, at) => (each.value = rounded(value[at])));
  };
  return { parts: fields, show };
}

function numberControl(parameter, low, high, id, say) {
  const ends = [within(parameter.soft_low ?? low, low, high), within(parameter.soft_high ?? high, low, high)];
  let shown = 0;
  const typed = field(parameter, low, high, { id }, (value) => say([value ?? shown]));
  const parts = [typed];
  let slider = null;
  const logarithmic = parameter.scale === "log" && ends[0] > 0;
  const [there, back] = logarithmic ? [Math.log, Math.exp] : [(x) => x, (x) => x];
  if (ends.every(Number.isFinite) && ends[0] < ends[1]) {
    const [from, to] = ends.map(there);
    const step = parameter.use === "whole" ? 1 : (to - from) / 1000;
    slider = element("input", { type: "range", min: from, max: to, step, "aria-label": `${parameter.label}, slider` });
    slider.addEventListener("input", () => say([within(rounded(back(slider.valueAsNumber)), low, high)]));
    parts.unshift(slider);
  }
  if (parameter.unit) parts.push(element("span", { className: "unit" }, parameter.unit));
  const show = ([value]) => {
    shown = value;
    typed.value = rounded(value);
    if (slider) slider.value = there(within(value, ...ends));
  };
  return { parts, show };
}

// A colour's hue on a button; how bright it is beyond white, and how much it covers, beside it.
function colourControl(parameter, id, say) {
  let shown = [0, 0, 0, 1];
  const button = element("input", { type: "color", id });
  const words = element("span", { className: "unit" });
  const parts = [button, words];
  const brightest = (value) => Math.max(1, ...value.slice(0, 3));
  let strength = null;
  let cover = null;
  const put = () => {
    const gain = strength ? within(strength.valueAsNumber || 1, 0, 1000) : 1;
    const alpha = cover ? within(cover.valueAsNumber, 0, 1) : shown[3];
    say([...fromHex(button.value).map((part) => part * gain), Number.isFinite(alpha) ? alpha : shown[3]]);
  };
  button.addEventListener("input", put);
  for (const [wanted, label, most] of [[parameter.hdr, "brightness", ""], [parameter.alpha, "alpha", 1]]) {
    if (!wanted) continue;
    const made = element("input", { type: "number", min: 0, max: most, step: "any", "aria-label": `${parameter.label} ${label}`, title: label });
    made.addEventListener("change", put);
    parts.push(made, element("span", { className: "unit" }, label === "alpha" ? "alpha" : "×"));
    if (label === "alpha") cover = made;
    else strength = made;
  }
  const show = (value) => {
    shown = value;
    const gain = strength ? brightest(value) : 1;
    button.value = hexOf(value.map((part) => part / gain));
    words.textContent = button.value;
    if (strength) strength.value = rounded(gain);
    if (cover) cover.value = rounded(value[3]);
  };
  return { parts, show };
}

class Sheet {
  // `wanted(parameter, value)` hears of what a person sets, `undone(parameter)` of what is to be as delivered.
  constructor(place, wanted, undone) {
    Object.assign(this, { place, wanted, undone, lines: [] });
  }

  // Shows the parameters of a material as a look has them.
  build(material, look) {
    this.lines = [];
    const groups = new Map();
    material.parameters.forEach((parameter, number) => {
      const key = parameter.group || "Values";
      if (!groups.has(key)) groups.set(key, []);
      groups.get(key).push(this.line(parameter, look, `value-${number}`));
    });
    const sets = [...groups].map(([name, lines]) => {
      const plain = lines.filter((line) => !line.parameter.advanced);
      const folded = lines.filter((line) => line.parameter.advanced);
      const set = element("fieldset", {}, element("legend", {}, name), ...plain.map((line) => line.row));
      if (folded.length)
        set.append(element("details", {}, element("summary", {}, "More"), ...folded.map((line) => line.row)));
      return set;
    });
    this.place.replaceChildren(...sets);
  }

  line(parameter, look, id) {
    const limits = look.limits[parameter.id] ?? [parameter.low, parameter.high];
    const control = controlFor(parameter, limits, id, (value) => this.wanted(parameter, value));
    const back = element("button", { type: "button", className: "back", title: "as delivered" }, "↺");
    back.setAttribute("aria-label", `${parameter.label} as delivered`);
    back.addEventListener("click", () => {
      this.undone(parameter);
      control.parts[0].focus();
    });
    const label = element("label", { htmlFor: id, title: parameter.tooltip }, parameter.label);
    const row = element("div", { className: "line" }, label, element("div", { className: "field" }, ...control.parts), back);
    const locked = look.locked.includes(parameter.id) || (look.layered && (parameter.kind === "colour" || parameter.read));
    if (locked) {
      row.title = look.layered ? "This look has a layer over its colours: tune them in Soft Lantern" : "Locked by a look above";
      for (const part of control.parts) part.disabled = true;
    }
    const made = { parameter, control, row, back };
    this.lines.push(made);
    return made;
  }

  // Shows values by parameter id; `changed` says which of them are not as delivered.
  show(values, changed) {
    for (const { parameter, control, row, back } of this.lines) {
      control.show(values[parameter.id]);
      const differs = changed.has(parameter.id);
      row.classList.toggle("changed", differs);
      back.style.visibility = differs ? "visible" : "hidden";
      const by = parameter.shown_when && values[parameter.shown_when];
      row.hidden = Boolean(by) && Math.abs(by[0] - parameter.shown_value) > 0.5;
    }
  }
}
