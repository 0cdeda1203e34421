// The camera: as `scene/transforms.py` has it. Matrices are columns after columns.

const FIELD_OF_VIEW = (36 * Math.PI) / 180;
const cross = (a, b) => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
const dot = (a, b) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
const along = (a, b, share) => a.map((each, i) => each + b[i] * share);

function times(a, b) {
  const found = new Float32Array(16);
  for (let column = 0; column < 4; column++)
    for (let row = 0; row < 4; row++)
      for (let i = 0; i < 4; i++) found[column * 4 + row] += a[i * 4 + row] * b[column * 4 + i];
  return found;
}

function cameraFor(view, aspect) {
  const yaw = (view.yaw * Math.PI) / 180;
  const pitch = (Math.min(Math.max(view.pitch, -89.9), 89.9) * Math.PI) / 180;
  const toward = [Math.sin(yaw) * Math.cos(pitch), Math.sin(pitch), Math.cos(yaw) * Math.cos(pitch)];
  const distance = Math.max(view.distance, 1e-3);
  const position = along(view.target, toward, distance);
  const side = cross([0, 1, 0], toward);
  const right = side.map((each) => each / Math.hypot(...side));
  const up = cross(toward, right);
  const [near, far] = [distance * 0.02, distance * 60];
  const scale = 1 / Math.tan(FIELD_OF_VIEW / 2);
  const [across, upward] = aspect >= 1 ? [scale / aspect, scale] : [scale, scale * aspect];
  const projection = [across, 0, 0, 0, 0, upward, 0, 0, 0, 0, (far + near) / (near - far), -1];
  projection.push(0, 0, (2 * far * near) / (near - far), 0);
  const seen = [0, 1, 2].flatMap((i) => [right[i], up[i], toward[i], 0]);
  seen.push(-dot(right, position), -dot(up, position), -dot(toward, position), 1);
  return { position, right, up, toward, range: [near, far], matrix: times(projection, seen), projection, seen, aspect };
}

// From clip space to the world: what a camera's matrix undone is.
function undone(camera) {
  const { projection: p, right, up, toward, position } = camera;
  const fromView = [...right, 0, ...up, 0, ...toward, 0, ...position, 1];
  const fromClip = [1 / p[0], 0, 0, 0, 0, 1 / p[5], 0, 0, 0, 0, 0, 1 / p[14], 0, 0, -1, p[10] / p[14]];
  return times(fromView, fromClip);
}
