// The page: what is chosen and tuned, and how it goes to the stage, the sheet and the answer.

const byId = (id) => document.getElementById(id);
const data = JSON.parse(byId("data").textContent);
const still = matchMedia("(prefers-reduced-motion: reduce)").matches;
const state = { view: 0, sky: data.views[0].sky, material: 0, look: 0, tuned: {}, time: 0, camera: { ...data.views[0].camera } };
const looks = new Map(data.materials.flatMap((material) => material.looks.map((look) => [look.id, { look, material }])));
const tunable = data.materials.filter((material) => data.tuned.includes(material.id));

const chosen = () => tunable[state.material].looks[state.look];
const tuned = () => (state.tuned[chosen().id] ??= {});
const tell = (words) => (byId("told").textContent = words);

// What a look is drawn with: as it was delivered, or as it is tuned here; where nothing seen wears the look that is
// being tuned, all that wears its material shows it.
function uniformsOf(id, asDelivered) {
  const { look, material } = looks.get(id) ?? {};
  if (!look) return {};
  const worn = data.views[state.view].items.some((item) => item.look === chosen().id);
  const shown = material === tunable[state.material] && !worn ? chosen() : look;
  if (asDelivered) return shown.uniforms;
  const changes = Object.entries(state.tuned[shown.id] ?? {}).map(([key, value]) => {
    const parameter = material.parameters.find((each) => each.id === key);
    return [parameter.uniform, parameter.read ? { image: parameter.images[value] } : value];
  });
  return { ...shown.uniforms, ...Object.fromEntries(changes.filter(([key]) => key)) };
}

// The answer: a table of values that Soft Lantern takes back, with one new look in it.
function answer() {
  const material = tunable[state.material];
  const values = Object.fromEntries(
    Object.entries(tuned()).map(([key, value]) => {
      const { identifier } = material.parameters.find((each) => each.id === key);
      return [identifier, Array.isArray(value) && value.length === 1 ? value[0] : value];
    }),
  );
  const name = byId("called").value.trim() || `${chosen().name}, tuned`;
  const row = { instance: name, parent: chosen().id, remark: byId("remark").value, values };
  return { format: data.format, project: data.project, material: material.id, instances: [row] };
}

function download() {
  const text = JSON.stringify(answer(), null, 2) + "\n";
  const link = element("a", { download: `${answer().instances[0].instance}.answer.json` });
  link.href = URL.createObjectURL(new Blob([text], { type: "application/json" }));
  link.click();
  URL.revokeObjectURL(link.href);
  tell("The answer is downloaded: give the file to whoever sent you this page.");
}

async function copy() {
  const text = JSON.stringify(answer(), null, 2);
  try {
    await navigator.clipboard.writeText(text);
  } catch {
    const area = element("textarea", { value: text });
    document.body.append(area);
    area.select();
    document.execCommand("copy");
    area.remove();
  }
  tell("The values are copied.");
}

const canvas = byId("stage");
let stage = null;
try {
  stage = new Stage(canvas, data);
  stage.prepare(data.views[state.view]);
} catch (error) {
  tell(error.message);
}
const block = await unpacked(byId("block").textContent).catch(() => {
  tell("This browser cannot unpack the page: a newer one can (it takes DecompressionStream).");
  throw new Error("nothing was unpacked");
});
if (stage) stage.block = block;
const sheet = new Sheet(
  byId("groups"),
  (parameter, value) => {
    const same = JSON.stringify(value) === JSON.stringify(chosen().values[parameter.id]);
    if (same) delete tuned()[parameter.id];
    else tuned()[parameter.id] = value;
    refresh();
  },
  (parameter) => {
    delete tuned()[parameter.id];
    refresh();
  },
);

// Draws the stage; `share`: of its pixels across, how many are worked out.
function draw(share = 1) {
  if (!stage) return;
  const sharp = Math.min(devicePixelRatio || 1, 2);
  const [width, height] = [Math.max(Math.round(canvas.clientWidth * sharp), 2), Math.max(Math.round(canvas.clientHeight * sharp), 2)];
  if (canvas.width !== width || canvas.height !== height) Object.assign(canvas, { width, height });
  const beside = byId("beside").checked;
  const sides = beside ? [[0, width >> 1, true], [width >> 1, width - (width >> 1), false]] : [[0, width, false]];
  for (const [x, wide, asDelivered] of sides) {
    const camera = cameraFor(state.camera, wide / height);
    const look = (id) => uniformsOf(id, asDelivered);
    const place = { x, y: 0, width: wide, height };
    stage.draw({ view: data.views[state.view], sky: state.sky, look, camera, time: state.time, place, share });
  }
  document.documentElement.dataset.share = String(share);
  document.documentElement.dataset.drawn = String(Number(document.documentElement.dataset.drawn ?? 0) + 1);
}

// While things move, as many pixels are worked out as the machine can in good time; all of them once they rest.
const SHARES = [1, 1 / 2, 1 / 3];
const IN_TIME = 40;
const AT_REST = 150;
let coarseness = SHARES.length - 1;
let resting = 0;

function drawInTime() {
  const share = SHARES[coarseness];
  const started = performance.now();
  draw(share);
  if (!stage) return;
  stage.wait();
  const taken = performance.now() - started;
  coarseness = SHARES.findIndex((each) => taken * (each / share) ** 2 < IN_TIME);
  if (coarseness < 0) coarseness = SHARES.length - 1;
  clearTimeout(resting);
  if (share < 1) resting = setTimeout(() => attempt(() => draw()), AT_REST);
}

function attempt(drawing) {
  try {
    drawing();
  } catch (error) {
    tell(`This could not be drawn: ${error.message}`);
  }
}

let waiting = false;
function drawSoon() {
  if (waiting) return;
  waiting = true;
  requestAnimationFrame(() => {
    waiting = false;
    attempt(drawInTime);
  });
}

function refresh() {
  const look = chosen();
  sheet.show({ ...look.values, ...tuned() }, new Set(Object.keys(tuned())));
  const count = Object.keys(tuned()).length;
  byId("note").textContent = count ? `${count} ${count === 1 ? "value" : "values"} not as delivered` : "As delivered";
  byId("sides").hidden = !byId("beside").checked;
  byId("left").textContent = `${look.name}, as delivered`;
  byId("right").textContent = count ? `${look.name}, tuned` : look.name;
  drawSoon();
}

function rebuild() {
  sheet.build(tunable[state.material], chosen());
  refresh();
}

function fill(id, names, at, change) {
  const box = byId(id);
  box.replaceChildren(...names.map((name, value) => element("option", { value }, name)));
  box.value = at;
  box.onchange = () => change(Number(box.value));
}

function fillLooks() {
  fill("look", tunable[state.material].looks.map((look) => look.name), state.look, (at) => {
    state.look = at;
    rebuild();
  });
}

// The look that is tuned first is one that is seen.
function lookAtWorn() {
  const worn = data.views[state.view].items.map((item) => looks.get(item.look)).find((found) => found && tunable.includes(found.material));
  if (!worn) return;
  state.material = tunable.indexOf(worn.material);
  state.look = worn.material.looks.indexOf(worn.look);
}

lookAtWorn();
fill("view", data.views.map((view) => view.name), state.view, (at) => {
  Object.assign(state, { view: at, sky: data.views[at].sky, camera: { ...data.views[at].camera } });
  byId("sky").value = state.sky;
  lookAtWorn();
  byId("material").value = state.material;
  fillLooks();
  rebuild();
});
fill("sky", data.skies.map((sky) => sky.name), state.sky, (at) => {
  state.sky = at;
  drawSoon();
});
fill("material", tunable.map((material) => material.name), state.material, (at) => {
  Object.assign(state, { material: at, look: 0 });
  fillLooks();
  rebuild();
});
fillLooks();
byId("beside").onchange = refresh;
byId("reset").onclick = () => {
  delete state.tuned[chosen().id];
  refresh();
};
byId("copy").onclick = copy;
byId("download").onclick = download;

// Hands on the stage

function turn(x, y) {
  state.camera.yaw = (state.camera.yaw - x * 0.4 + 360) % 360;
  state.camera.pitch = Math.min(Math.max(state.camera.pitch + y * 0.4, -89), 89);
  drawSoon();
}

function nearer(share) {
  state.camera.distance = Math.max(state.camera.distance * share, 0.01);
  drawSoon();
}

function frameAll() {
  const [low, high] = data.views[state.view].bounds;
  state.camera.target = low.map((each, at) => (each + high[at]) / 2);
  state.camera.distance = (Math.hypot(...along(high, low, -1)) / 2 / Math.sin(FIELD_OF_VIEW / 2)) * 1.02;
  drawSoon();
}

const fingers = new Map();
canvas.addEventListener("pointerdown", (event) => {
  canvas.setPointerCapture(event.pointerId);
  fingers.set(event.pointerId, [event.clientX, event.clientY]);
});
canvas.addEventListener("pointermove", (event) => {
  const before = fingers.get(event.pointerId);
  if (!before) return;
  const apart = () => Math.hypot(...along([...fingers.values()][0], [...fingers.values()][1], -1));
  const far = fingers.size === 2 ? apart() : 0;
  fingers.set(event.pointerId, [event.clientX, event.clientY]);
  if (fingers.size === 2) nearer(far / Math.max(apart(), 1));
  else turn(event.clientX - before[0], event.clientY - before[1]);
});
for (const name of ["pointerup", "pointercancel"]) canvas.addEventListener(name, (event) => fingers.delete(event.pointerId));
canvas.addEventListener("wheel", (event) => {
  event.preventDefault();
  nearer(1.001 ** event.deltaY);
}, { passive: false });
canvas.addEventListener("keydown", (event) => {
  const moves = {
    ArrowLeft: () => turn(20, 0), ArrowRight: () => turn(-20, 0), ArrowUp: () => turn(0, 20), ArrowDown: () => turn(0, -20),
    "+": () => nearer(0.9), "=": () => nearer(0.9), "-": () => nearer(1 / 0.9), f: frameAll, F: frameAll,
  };
  if (!moves[event.key] || event.ctrlKey || event.altKey || event.metaKey) return;
  event.preventDefault();
  moves[event.key]();
});

let last = 0;
function tick(now) {
  if (!byId("moving").checked) return;
  state.time += Math.min((now - last) / 1000, 0.1);
  last = now;
  drawSoon();
  requestAnimationFrame(tick);
}
byId("moving").onchange = () => {
  last = performance.now();
  requestAnimationFrame(tick);
};
if (!still && data.views.some((view) => view.items.some((item) => item.programs.some((number) => number >= 0 && data.programs[number].inputs.includes("time"))))) {
  byId("moving").checked = true;
  byId("moving").onchange();
}

new ResizeObserver(drawSoon).observe(canvas);
Object.assign(window, { review: { state, data, answer, draw } });
rebuild();
