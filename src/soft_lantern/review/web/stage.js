// Draws a view as the stage does: the sun's map, depth, what is opaque, what is seen through, glow, the screen.

const SPARE = 15;

class Stage {
  // Throws an Error with a sentence for people where the browser cannot draw. `block` is given before anything is drawn.
  constructor(canvas, data) {
    this.canvas = canvas;
    this.data = data;
    this.block = null;
    const gl = (this.gl = canvas.getContext("webgl2", { antialias: false, alpha: false, preserveDrawingBuffer: true }));
    if (!gl) throw new Error("This browser has no WebGL 2, so nothing can be drawn. Any current browser has it.");
    if (!gl.getExtension("EXT_color_buffer_float"))
      throw new Error("This browser cannot draw pictures of floats, which this page needs.");
    gl.getExtension("OES_texture_float_linear");
    this.begun = data.programs.map(() => null);
    this.programs = data.programs.map(() => null);
    this.images = data.images.map(() => null);
    this.buffers = new Map();
    this.targets = new Map();
    const kinds = gl.getInternalformatParameter(gl.RENDERBUFFER, gl.RGBA16F, gl.SAMPLES);
    this.samples = kinds && kinds.length ? Math.min(4, Math.max(...kinds)) : 0;
  }

  // Has the browser compile what a view is drawn with, beside everything else.
  prepare(view) {
    const { backdrop, display, glow } = this.data.stage;
    const items = view.items.flatMap((item) => [item, ...item.volumes]).flatMap((item) => item.programs);
    const glows = [glow.bright, glow.half, glow.widen, glow.over];
    for (const number of [...items, backdrop, display, ...glows]) if (number >= 0) this.begin(number);
  }

  // Draws a view at a place of the canvas, in its pixels: `look(id)` gives the values of a look's uniforms. `share`: of
  // the pixels across, how many are worked out; fewer than all are not smoothed at edges either.
  draw({ view, sky, look, camera, time, place, share = 1 }) {
    const gl = this.gl;
    const size = [place.width, place.height].map((side) => Math.max(Math.round(side * share), 2));
    this.scene = { view, sun: view.suns[sky], camera, look, size };
    this.scene.inputs = {
      camera_position: camera.position, camera_right: camera.right, camera_up: camera.up, camera_range: camera.range,
      picture_size: this.scene.size, time: [time], time_step: [1 / 60],
    };
    this.scene.values = { ...this.data.skies[sky].values, ...this.scene.sun.values };
    gl.disable(gl.SCISSOR_TEST);
    this.drawShadows();
    this.scene.depths = view.items.some((item) => item.programs[2] >= 0) ? this.drawDepths() : null;
    const target = this.target("picture", ...this.scene.size, gl.RGBA16F, share < 1 ? 0 : this.samples);
    this.into(target, [0, 0, 0, 1]);
    gl.disable(gl.DEPTH_TEST);
    this.over(this.data.stage.backdrop, { clip_to_world: undone(camera) });
    let kept = false;
    for (const item of this.inOrder()) {
      if (item.behind && !kept) {
        this.keepBehind(target);
        kept = true;
      }
      this.walls = this.wallsBehind(item);
      this.into(target);
      gl.enable(gl.DEPTH_TEST);
      gl.depthMask(!item.blended);
      this.blend(item.blended);
      this.drawItem(item, 0, camera.matrix);
    }
    gl.depthMask(true);
    this.blend(false);
    gl.disable(gl.DEPTH_TEST);
    this.resolve(target);
    this.show(this.withGlow(target), place);
  }

  // Passes

  drawShadows() {
    const { sun, view } = this.scene;
    const { size, nothing } = this.data.stage.shadow;
    this.shadow = this.target("shadow", size, size, this.gl.R32F);
    this.into(this.shadow, [nothing, 0, 0, 0]);
    this.gl.enable(this.gl.DEPTH_TEST);
    if (sun.matrix) for (const item of view.items) if (item.programs[1] >= 0) this.drawItem(item, 1, sun.matrix);
  }

  drawDepths() {
    const { camera, size, view } = this.scene;
    const target = this.target("depth", ...size, this.gl.R32F);
    this.into(target, [camera.range[1], 0, 0, 0]);
    for (const item of view.items.filter((each) => each.programs[2] >= 0)) {
      this.walls = this.wallsBehind(item);
      this.into(target);
      this.gl.enable(this.gl.DEPTH_TEST);
      this.drawItem(item, 2, camera.matrix);
    }
    return target;
  }

  // Behind an item's nearest surface, how many more walls of its cut-outs lead out than in, at every pixel.
  wallsBehind(item) {
    if (!item.volumes.length) return null;
    const gl = this.gl;
    const { camera, size, depths } = this.scene;
    const own = this.target("own depth", ...size, gl.R32F);
    this.into(own, [camera.range[1], 0, 0, 0]);
    gl.enable(gl.DEPTH_TEST);
    this.drawItem(item, 3, camera.matrix);
    const walls = this.target("walls", ...size, gl.RGBA16F);
    this.into(walls, [0, 0, 0, 0]);
    gl.disable(gl.DEPTH_TEST);
    gl.enable(gl.BLEND);
    gl.blendFunc(gl.ONE, gl.ONE);
    this.scene.depths = own;
    for (const volume of item.volumes) this.drawItem({ ...volume, culled: false }, 0, camera.matrix);
    this.scene.depths = depths;
    this.blend(false);
    return walls;
  }

  keepBehind(target) {
    const gl = this.gl;
    const behind = this.target("behind", ...this.scene.size, gl.RGBA16F, 0, true);
    this.copy(target, behind);
    gl.bindTexture(gl.TEXTURE_2D, behind.texture);
    gl.generateMipmap(gl.TEXTURE_2D);
    this.behind = behind;
  }

  withGlow(picture) {
    const gl = this.gl;
    const { amount, levels, bright, half, widen, over } = this.data.stage.glow;
    if (!amount) return picture;
    const found = [];
    let [width, height] = this.scene.size;
    for (let last = picture; found.length < levels && Math.min(width, height) >= 8; ) {
      [width, height] = [(width + 1) >> 1, (height + 1) >> 1];
      last = this.filtered(`glow ${found.length}`, width, height, found.length ? half : bright, last);
      found.push(last);
    }
    if (!found.length) return picture;
    let wide = found[found.length - 1];
    for (let i = found.length - 2; i >= 0; i--)
      wide = this.filtered(`glow up ${i}`, found[i].width, found[i].height, widen, wide, found[i], [0.5, 0.8]);
    return this.filtered("glow over", ...this.scene.size, over, wide, picture, [1, amount]);
  }

  filtered(use, width, height, program, source, finer = null, shares = [1, 1]) {
    const gl = this.gl;
    const target = this.target(use, width, height, gl.RGBA16F);
    this.into(target);
    for (const each of [source, finer]) if (each) this.setFilter(each.texture, gl.LINEAR);
    this.over(program, { size: [width, height], shares, source, finer });
    return target;
  }

  show(picture, place) {
    const gl = this.gl;
    const shown = this.target("shown", ...this.scene.size, gl.RGBA8);
    this.into(shown);
    this.over(this.data.stage.display, { picture });
    gl.bindFramebuffer(gl.READ_FRAMEBUFFER, shown.frame);
    gl.bindFramebuffer(gl.DRAW_FRAMEBUFFER, null);
    const { x, y, width, height } = place;
    const filter = shown.width < width ? gl.LINEAR : gl.NEAREST;
    gl.blitFramebuffer(0, 0, shown.width, shown.height, x, y, x + width, y + height, gl.COLOR_BUFFER_BIT, filter);
  }

  // Returns when all is drawn that was asked for.
  wait() {
    this.gl.bindFramebuffer(this.gl.FRAMEBUFFER, null);
    this.gl.readPixels(0, 0, 1, 1, this.gl.RGBA, this.gl.UNSIGNED_BYTE, new Uint8Array(4));
  }

  // Order: what hides others first; what is drawn late after that, what blends last, the farthest first.
  inOrder() {
    const { items } = this.scene.view;
    const away = new Map(items.map((item) => [item, Math.hypot(...along(item.middle, this.scene.camera.position, -1))]));
    const early = items.filter((item) => !item.late).sort((a, b) => away.get(a) - away.get(b));
    const props = items.filter((item) => item.late && item.prop);
    const late = items.filter((item) => item.late && !item.prop);
    late.sort((a, b) => a.blended - b.blended || away.get(b) - away.get(a));
    return [...early, ...props, ...late];
  }

  drawItem(item, pass, matrix) {
    const gl = this.gl;
    const program = this.program(item.programs[pass]);
    gl.useProgram(program.made);
    const looked = item.look ? this.scene.look(item.look) : {};
    this.set(program, { ...this.scene.inputs, ...item.inputs }, { ...this.scene.values, ...item.values, ...looked });
    this.write(program, "view_projection", matrix);
    gl.frontFace(item.mirrored ? gl.CW : gl.CCW);
    if (item.culled && pass !== 1) gl.enable(gl.CULL_FACE);
    else gl.disable(gl.CULL_FACE);
    gl.bindVertexArray(this.arrayOf(item, pass, program));
    if (pass === 0 && item.blended && item.middles && !item.prop) this.orderTriangles(item);
    gl.drawElements(gl.TRIANGLES, item.triangles.count, gl.UNSIGNED_INT, 0);
    gl.bindVertexArray(null);
    gl.disable(gl.CULL_FACE);
    gl.frontFace(gl.CCW);
  }

  // Of what blends, the triangles farthest away come first, as far as their middles tell.
  orderTriangles(item) {
    const gl = this.gl;
    const middles = floatsAt(this.block, item.middles);
    const triangles = wholeAt(this.block, item.triangles);
    const [m, { toward }] = [item.matrix, this.scene.camera];
    const way = [0, 4, 8].map((at) => m[at] * toward[0] + m[at + 1] * toward[1] + m[at + 2] * toward[2]);
    const count = triangles.length / 3;
    const near = new Float32Array(count);
    for (let i = 0; i < count; i++) near[i] = dot(way, middles.subarray(3 * i, 3 * i + 3));
    const order = Uint32Array.from(near.keys()).sort((a, b) => near[a] - near[b] || a - b);
    const found = new Uint32Array(triangles.length);
    order.forEach((from, to) => found.set(triangles.subarray(3 * from, 3 * from + 3), 3 * to));
    gl.bufferData(gl.ELEMENT_ARRAY_BUFFER, found, gl.DYNAMIC_DRAW);
  }

  // Draws a program over the whole of what is drawn into.
  over(number, given) {
    const gl = this.gl;
    const program = this.program(number);
    gl.useProgram(program.made);
    this.unit = 0;
    this.set(program, this.scene.inputs, this.scene.values);
    for (const [name, value] of Object.entries(given)) {
      if (value && value.texture) this.bind(program, name, value.texture);
      else if (value) this.write(program, name, value);
    }
    gl.bindVertexArray(null);
    gl.drawArrays(gl.TRIANGLES, 0, 3);
  }

  // What programs read

  set(program, inputs, values) {
    const { shadow, behind } = this.data.stage;
    this.unit = 0;
    if (this.scene.depths) this.bind(program, "depth_picture", this.scene.depths.texture);
    if (this.walls) this.bind(program, "walls_picture", this.walls.texture);
    for (const name of program.row.inputs) if (inputs[name]) this.write(program, name, inputs[name]);
    for (const [key, name] of program.row.uniforms) {
      const value = values[key];
      if (key === shadow.key) this.bind(program, name, this.shadow.texture);
      else if (key === behind) this.behind && this.bind(program, name, this.behind.texture);
      else if (value && value.image !== undefined)
        this.bind(program, name, this.image(value.image, !key.startsWith("stage:")));
      else if (value) this.write(program, name, value);
    }
  }

  write(program, name, value) {
    const at = program.places.get(name);
    if (!at) return;
    const gl = this.gl;
    if (at.type === gl.FLOAT_MAT4) gl.uniformMatrix4fv(at.place, false, value);
    else gl[`uniform${{ [gl.FLOAT]: 1, [gl.FLOAT_VEC2]: 2, [gl.FLOAT_VEC3]: 3, [gl.FLOAT_VEC4]: 4 }[at.type]}fv`](at.place, value);
  }

  bind(program, name, texture) {
    const at = program.places.get(name);
    if (!at) return;
    this.gl.activeTexture(this.gl.TEXTURE0 + this.unit);
    this.gl.bindTexture(this.gl.TEXTURE_2D, texture);
    this.gl.uniform1i(at.place, this.unit++);
  }

  // A program whose compiling has begun; nobody has asked yet whether it came to an end.
  begin(number) {
    if (this.begun[number]) return this.begun[number];
    const gl = this.gl;
    const row = this.data.programs[number];
    const made = gl.createProgram();
    const shaders = [[gl.VERTEX_SHADER, row.vertex], [gl.FRAGMENT_SHADER, row.fragment]].map(([kind, text]) => {
      const shader = gl.createShader(kind);
      gl.shaderSource(shader, text);
      gl.compileShader(shader);
      gl.attachShader(made, shader);
      return shader;
    });
    gl.linkProgram(made);
    return (this.begun[number] = { made, row, shaders });
  }

  program(number) {
    if (this.programs[number]) return this.programs[number];
    const gl = this.gl;
    const { made, row, shaders } = this.begin(number);
    if (!gl.getProgramParameter(made, gl.LINK_STATUS))
      throw new Error(shaders.map((shader) => gl.getShaderInfoLog(shader)).join("") || gl.getProgramInfoLog(made));
    const places = new Map();
    for (let i = 0; i < gl.getProgramParameter(made, gl.ACTIVE_UNIFORMS); i++) {
      const { name, type } = gl.getActiveUniform(made, i);
      places.set(name, { type, place: gl.getUniformLocation(made, name) });
    }
    return (this.programs[number] = { made, row, places, number });
  }

  image(number, levels) {
    if (this.images[number]) return this.images[number];
    const gl = this.gl;
    const row = this.data.images[number];
    const texture = (this.images[number] = gl.createTexture());
    const texels = texelsAt(this.block, row);
    gl.activeTexture(gl.TEXTURE0 + SPARE); // what the other units hold is about to be read
    gl.bindTexture(gl.TEXTURE_2D, texture);
    const put = (inside, form, type, data) =>
      gl.texImage2D(gl.TEXTURE_2D, 0, inside, row.width, row.height, 0, form, type, data);
    if (row.form === "radiance") put(gl.RGB9_E5, gl.RGB, gl.UNSIGNED_INT_5_9_9_9_REV, withSharedExponent(texels));
    else if (row.form === "halves") put(gl.RGBA16F, gl.RGBA, gl.HALF_FLOAT, new Uint16Array(texels.buffer));
    else put(gl.RGBA16F, gl.RGBA, gl.FLOAT, asLinear(texels, row.form === "srgb")); // so that smaller copies stay fine
    const wrap = { clamp: gl.CLAMP_TO_EDGE, mirror: gl.MIRRORED_REPEAT, repeat: gl.REPEAT }[row.wrap];
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_S, wrap);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_T, wrap);
    const smooth = row.filter === "linear";
    this.setFilter(texture, smooth ? gl.LINEAR : gl.NEAREST);
    if (levels && smooth && Math.max(row.width, row.height) > 1) {
      gl.generateMipmap(gl.TEXTURE_2D);
      gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, gl.LINEAR_MIPMAP_LINEAR);
    }
    return texture;
  }

  arrayOf(item, pass, program) {
    const gl = this.gl;
    item.arrays ??= [];
    if (item.arrays[pass]) return item.arrays[pass];
    const made = (item.arrays[pass] = gl.createVertexArray());
    gl.bindVertexArray(made);
    for (const name of program.row.attributes) {
      const place = gl.getAttribLocation(program.made, name);
      if (place < 0) continue;
      const row = item.attributes[name];
      gl.bindBuffer(gl.ARRAY_BUFFER, this.buffer(row, gl.ARRAY_BUFFER, floatsAt));
      gl.enableVertexAttribArray(place);
      gl.vertexAttribPointer(place, row.count / item.vertices, gl.FLOAT, false, 0, 0);
    }
    // What is put in order anew has its triangles for itself.
    const own = pass === 0 && item.blended ? {} : item.triangles;
    gl.bindBuffer(gl.ELEMENT_ARRAY_BUFFER, this.buffer(own, gl.ELEMENT_ARRAY_BUFFER, () => wholeAt(this.block, item.triangles)));
    return made;
  }

  buffer(row, kind, read) {
    if (!this.buffers.has(row)) {
      const made = this.gl.createBuffer();
      this.gl.bindBuffer(kind, made);
      this.gl.bufferData(kind, read(this.block, row), this.gl.STATIC_DRAW);
      this.buffers.set(row, made);
    }
    return this.buffers.get(row);
  }

  // Pictures drawn into

  target(use, width, height, format, samples = 0, levels = false) {
    const gl = this.gl;
    const before = this.targets.get(use);
    if (before && before.width === width && before.height === height) return before;
    if (before) for (const drop of before.drop) drop();
    const texture = gl.createTexture();
    gl.bindTexture(gl.TEXTURE_2D, texture);
    gl.texStorage2D(gl.TEXTURE_2D, levels ? Math.floor(Math.log2(Math.max(width, height))) + 1 : 1, format, width, height);
    this.setFilter(texture, gl.NEAREST);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_S, gl.CLAMP_TO_EDGE);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_WRAP_T, gl.CLAMP_TO_EDGE);
    if (levels) {
      gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, gl.LINEAR_MIPMAP_LINEAR);
      gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, gl.LINEAR);
    }
    const resolved = gl.createFramebuffer();
    gl.bindFramebuffer(gl.FRAMEBUFFER, resolved);
    gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D, texture, 0);
    let frame = resolved;
    const drop = [() => gl.deleteTexture(texture), () => gl.deleteFramebuffer(resolved)];
    if (samples) {
      frame = gl.createFramebuffer();
      gl.bindFramebuffer(gl.FRAMEBUFFER, frame);
      const colours = this.rendered(format, width, height, samples, gl.COLOR_ATTACHMENT0);
      drop.push(() => gl.deleteRenderbuffer(colours), () => gl.deleteFramebuffer(frame));
    }
    const depths = this.rendered(gl.DEPTH_COMPONENT24, width, height, samples, gl.DEPTH_ATTACHMENT);
    drop.push(() => gl.deleteRenderbuffer(depths));
    const made = { texture, frame, resolved, width, height, drop };
    this.targets.set(use, made);
    return made;
  }

  rendered(format, width, height, samples, attachment) {
    const gl = this.gl;
    const made = gl.createRenderbuffer();
    gl.bindRenderbuffer(gl.RENDERBUFFER, made);
    gl.renderbufferStorageMultisample(gl.RENDERBUFFER, samples, format, width, height);
    gl.framebufferRenderbuffer(gl.FRAMEBUFFER, attachment, gl.RENDERBUFFER, made);
    return made;
  }

  into(target, cleared = null) {
    const gl = this.gl;
    gl.bindFramebuffer(gl.FRAMEBUFFER, target.frame);
    gl.viewport(0, 0, target.width, target.height);
    if (!cleared) return;
    this.blend(false);
    gl.depthMask(true);
    gl.clearBufferfv(gl.COLOR, 0, cleared);
    gl.clearBufferfv(gl.DEPTH, 0, [1]);
  }

  copy(from, to) {
    const gl = this.gl;
    gl.bindFramebuffer(gl.READ_FRAMEBUFFER, from.frame);
    gl.bindFramebuffer(gl.DRAW_FRAMEBUFFER, to.resolved);
    const all = [0, 0, from.width, from.height];
    gl.blitFramebuffer(...all, ...all, gl.COLOR_BUFFER_BIT, gl.NEAREST);
  }

  resolve(target) {
    if (target.frame !== target.resolved) this.copy(target, target);
  }

  setFilter(texture, filter) {
    const gl = this.gl;
    gl.bindTexture(gl.TEXTURE_2D, texture);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, filter);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, filter);
  }

  blend(on) {
    const gl = this.gl;
    if (!on) return gl.disable(gl.BLEND);
    gl.enable(gl.BLEND);
    gl.blendFuncSeparate(gl.SRC_ALPHA, gl.ONE_MINUS_SRC_ALPHA, gl.ONE, gl.ONE_MINUS_SRC_ALPHA);
  }
}
