// The page: what stands in it, its view, its controls. THREE, mix and cues stand above.

const byId = (id) => document.getElementById(id);
const make = (tag, text = "", parent = null, more = {}) => {
  const out = Object.assign(document.createElement(tag), more);
  if (text) out.textContent = text;
  parent?.append(out);
  return out;
};

async function unpacked() {
  const raw = Uint8Array.from(atob(byId("arrays").textContent.trim()), (c) => c.charCodeAt(0));
  const stream = new Blob([raw]).stream().pipeThrough(new DecompressionStream("gzip"));
  return new Response(stream).arrayBuffer();
}

function opened(data, buffer) {
  const floats = ([at, n]) => new Float32Array(buffer, at, n), counts = ([at, n]) => new Uint32Array(buffer, at, n);
  const doubles = ([at, n]) => new Float64Array(buffer, at, n), bytes = ([at, n]) => new Uint8Array(buffer, at, n);
  const read = (of) => pieces({ of, floats, doubles });
  for (const o of data.objects) {
    o.points = floats(o.points);
    for (const name of ["index", "faces", "corner", "line"]) if (o[name]) o[name] = counts(o[name]);
    for (const name of ["uv", "copies"]) if (o[name]) o[name] = floats(o[name]);
    if (o.image) o.image = bytes(o.image);
    o.columns = o.columns.map((c) => ({ i: counts(c.i), d: floats(c.d) }));
    for (const t of o.targets) if (t.parts) t.parts = t.parts.map(read);
    for (const d of o.drives) if (d.curve) d.curve = read(d.curve);
    for (const r of Object.values(o.relays)) for (const id of Object.keys(r.shares)) r.shares[id] = read(r.shares[id]);
  }
  for (const c of data.clips) {
    for (const rows of Object.values(c.tracks)) for (const id of Object.keys(rows)) rows[id] = read(rows[id]);
    for (const x of c.turned) { x.without = read(x.without); x.with = read(x.with); }
  }
  if (data.sound) data.sound.data = bytes(data.sound.data);
  return data;
}

// What the scene has without lanes, the time in it, and the cues that run.
class Player {
  constructor(data) {
    this.data = data;
    this.own = Object.fromEntries(data.objects.map((o) => [o.id, { ...o.own }]));
    this.clip = data.clips.find((c) => c.id === data.hand) ?? data.clips[0];
    this.frame = data.start;
    this.playing = false;
    this.begin();
  }

  begin() { this.runner = new Runner(this.data, this.own, this.clip, () => this.frame); }

  setWeight(object, target, value) {
    const set = (o, id) => { this.own[o][id] = value; this.runner.segments.delete(`value|${o}|${id}`); this.held.add(`${o}|${id}`); };
    const own = this.data.objects.find((o) => o.id === object).targets.find((t) => t.id === target);
    set(object, target);
    for (const o of own.link ? this.data.objects : []) for (const t of o.targets) if (t.link === own.link) set(o.id, t.id);
  }

  held = new Set(); // weights that somebody set: they win over the lanes until they are let go

  values(object) {
    const out = this.runner.values(object);
    for (const key of this.held) {
      const [o, id] = key.split("|");
      if (o === object && !this.runner.segments.has(`value|${o}|${id}`)) out[id] = this.own[o][id];
    }
    return out;
  }

  step(seconds) {
    if (this.playing) {
      const { start, end, loop } = this.clip;
      this.frame += seconds * this.data.fps;
      if (this.frame >= end) {
        if (loop) this.frame = start + (this.frame - start) % (end - start);
        else { this.frame = end; this.playing = false; }
      }
    }
    this.runner.advance(this.runner.now + seconds);
  }
}

class Shown {
  constructor(obj, scene) {
    this.obj = obj;
    this.points = Float32Array.from(obj.points);
    this.seen = "";
    const g = this.geometry = new THREE.BufferGeometry();
    this.spread = obj.corner ?? null;
    const count = this.spread ? this.spread.length : obj.points.length / 3;
    g.setAttribute("position", new THREE.BufferAttribute(new Float32Array(3 * count), 3));
    const colour = new THREE.Color(obj.colour);
    if (obj.line) {
      g.setIndex(new THREE.BufferAttribute(obj.line, 1));
      this.material = new THREE.LineBasicMaterial({ color: colour });
      this.mesh = new THREE.LineSegments(g, this.material);
    } else {
      g.setIndex(new THREE.BufferAttribute(obj.index, 1));
      if (!obj.flat) g.setAttribute("normal", new THREE.BufferAttribute(new Float32Array(3 * count), 3));
      if (obj.uv) g.setAttribute("uv", new THREE.BufferAttribute(obj.uv, 2));
      this.material = new THREE.MeshStandardMaterial({ color: obj.image ? 0xffffff : colour, roughness: 0.62, metalness: 0,
        flatShading: obj.flat, side: THREE.DoubleSide });
      if (obj.image) this.dress(obj.image);
      const n = obj.copies ? obj.copies.length / 16 : 1;
      this.mesh = obj.copies ? new THREE.InstancedMesh(g, this.material, n) : new THREE.Mesh(g, this.material);
      if (obj.copies) this.mesh.instanceMatrix.array.set(obj.copies);
    }
    this.mesh.frustumCulled = false;
    this.mesh.matrixAutoUpdate = false;
    this.mesh.userData.object = obj.id;
    scene.add(this.mesh);
  }

  dress(bytes) {
    createImageBitmap(new Blob([bytes]), { imageOrientation: "flipY" }).then((image) => {
      const texture = new THREE.Texture(image);
      texture.flipY = false;
      texture.colorSpace = THREE.SRGBColorSpace;
      texture.wrapS = texture.wrapT = THREE.RepeatWrapping;
      texture.needsUpdate = true;
      // the UVs count from the top, as in glTF; the picture was turned for that
      for (let k = 1; k < this.obj.uv.length; k += 2) this.obj.uv[k] = 1 - this.obj.uv[k];
      this.geometry.attributes.uv.needsUpdate = true;
      this.material.map = texture;
      this.material.needsUpdate = true;
    });
  }

  show(values) {
    const seen = JSON.stringify(values);
    if (seen === this.seen) return false;
    this.seen = seen;
    mixed(this.obj, values, this.points);
    this.spreadOut("position", this.points);
    if (this.geometry.attributes.normal) this.spreadOut("normal", this.normals());
    this.geometry.boundingSphere = null;
    if (!(this.obj.copies && this.obj.stand)) this.mesh.matrix.copy(placeOf(this.obj, values));
    const opacity = Math.min(Math.max(values.opacity ?? 1, 0), 1);
    if (this.material.transparent !== opacity < 1) this.material.needsUpdate = true;
    this.material.transparent = opacity < 1;
    this.material.opacity = opacity;
    this.mesh.visible = (values.visible ?? 1) >= 0.5;
    return true;
  }

  shares(values) { return Array.from(sharesOf(this.obj, { ...values })); }

  spreadOut(name, from) {
    const attribute = this.geometry.attributes[name], to = attribute.array, at = this.spread;
    if (!at) to.set(from);
    else for (let k = 0; k < at.length; k++) for (let m = 0; m < 3; m++) to[3 * k + m] = from[3 * at[k] + m];
    attribute.needsUpdate = true;
  }

  normals() { // of the points as they are now, weighted by area
    const p = this.points, out = this.sums ??= new Float32Array(p.length), index = this.obj.index, at = this.spread;
    out.fill(0);
    for (let k = 0; k < index.length; k += 3) {
      let a = index[k], b = index[k + 1], c = index[k + 2];
      if (at) { a = at[a]; b = at[b]; c = at[c]; }
      a *= 3; b *= 3; c *= 3;
      const ux = p[b] - p[a], uy = p[b + 1] - p[a + 1], uz = p[b + 2] - p[a + 2];
      const vx = p[c] - p[a], vy = p[c + 1] - p[a + 1], vz = p[c + 2] - p[a + 2];
      const x = uy * vz - uz * vy, y = uz * vx - ux * vz, z = ux * vy - uy * vx;
      out[a] += x; out[a + 1] += y; out[a + 2] += z;
      out[b] += x; out[b + 1] += y; out[b + 2] += z;
      out[c] += x; out[c + 1] += y; out[c + 2] += z;
    }
    for (let k = 0; k < out.length; k += 3) {
      const long = Math.sqrt(out[k] ** 2 + out[k + 1] ** 2 + out[k + 2] ** 2) || 1;
      out[k] /= long; out[k + 1] /= long; out[k + 2] /= long;
    }
    return out;
  }
}

function placeOf(obj, v) { // scale, rotation about X, then Y, then Z, about the pivot, then position
  const turn = (axis) => THREE.MathUtils.degToRad(v[`rotation.${axis}`] ?? 0);
  const steady = (s) => (Math.abs(s) < 1e-6 ? 1e-6 : s);
  const out = new THREE.Matrix4().makeTranslation(v["position.x"] + obj.pivot[0], v["position.y"] + obj.pivot[1],
    v["position.z"] + obj.pivot[2]);
  out.multiply(new THREE.Matrix4().makeRotationFromEuler(new THREE.Euler(turn("x"), turn("y"), turn("z"), "ZYX")));
  out.multiply(new THREE.Matrix4().makeScale(steady(v["scale.x"]), steady(v["scale.y"]), steady(v["scale.z"])));
  return out.multiply(new THREE.Matrix4().makeTranslation(-obj.pivot[0], -obj.pivot[1], -obj.pivot[2]));
}

class Eye { // turns about a middle by mouse, fingers, wheel and keys
  constructor(canvas, camera, changed) {
    Object.assign(this, { canvas, camera, changed, yaw: 18, pitch: 6, distance: 1, middle: new THREE.Vector3(), fingers: new Map() });
    canvas.addEventListener("pointerdown", (e) => { this.fingers.set(e.pointerId, [e.clientX, e.clientY]); canvas.setPointerCapture(e.pointerId); });
    canvas.addEventListener("pointermove", (e) => this.move(e));
    for (const end of ["pointerup", "pointercancel"]) canvas.addEventListener(end, (e) => this.fingers.delete(e.pointerId));
    canvas.addEventListener("wheel", (e) => { e.preventDefault(); this.nearer(Math.exp(e.deltaY * 0.001)); }, { passive: false });
  }

  fit(box) {
    box.getCenter(this.middle);
    this.size = Math.max(box.getSize(new THREE.Vector3()).length(), 1e-6);
    this.distance = 0.5 * this.size / Math.tan(THREE.MathUtils.degToRad(this.camera.fov / 2)) / Math.min(this.camera.aspect, 1);
    this.yaw = 18; this.pitch = 6;
    this.aim();
  }

  move(e) {
    const before = this.fingers.get(e.pointerId);
    if (!before) return;
    const [dx, dy] = [e.clientX - before[0], e.clientY - before[1]];
    if (this.fingers.size === 2) {
      const [a, b] = [...this.fingers.entries()].map(([id, at]) => (id === e.pointerId ? before : at));
      const far = Math.hypot(a[0] - b[0], a[1] - b[1]);
      this.fingers.set(e.pointerId, [e.clientX, e.clientY]);
      const [c, d] = [...this.fingers.values()];
      this.nearer(far / Math.max(Math.hypot(c[0] - d[0], c[1] - d[1]), 1));
      return;
    }
    this.fingers.set(e.pointerId, [e.clientX, e.clientY]);
    if (e.shiftKey || e.buttons === 4) {
      const unit = 2 * this.distance * Math.tan(THREE.MathUtils.degToRad(this.camera.fov / 2)) / this.canvas.clientHeight;
      const m = this.camera.matrixWorld.elements;
      for (let k = 0; k < 3; k++) this.middle.setComponent(k, this.middle.getComponent(k) - dx * unit * m[k] + dy * unit * m[4 + k]);
      this.aim();
    } else this.turn(-dx * 0.4, dy * 0.4);
  }

  turn(yaw, pitch) {
    this.yaw += yaw;
    this.pitch = Math.min(Math.max(this.pitch + pitch, -89), 89);
    this.aim();
  }

  nearer(factor) {
    this.distance = Math.min(Math.max(this.distance * factor, this.size * 0.05), this.size * 20);
    this.aim();
  }

  aim() {
    const [y, p] = [this.yaw, this.pitch].map(THREE.MathUtils.degToRad), c = this.camera;
    c.position.set(Math.sin(y) * Math.cos(p), Math.sin(p), Math.cos(y) * Math.cos(p)).multiplyScalar(this.distance).add(this.middle);
    c.near = this.distance * 0.01; c.far = this.distance * 20 + this.size * 5;
    c.lookAt(this.middle);
    c.updateProjectionMatrix();
    c.updateMatrixWorld();
    this.changed();
  }
}

const NAMES = { " ": "Space", Enter: "Return", Escape: "Esc", ArrowLeft: "Left", ArrowRight: "Right", ArrowUp: "Up", ArrowDown: "Down",
  Delete: "Del", Insert: "Ins", PageUp: "PgUp", PageDown: "PgDown" };

function keyName(e) {
  const name = NAMES[e.key] ?? (e.key.length === 1 ? e.key.toUpperCase() : e.key);
  return (e.ctrlKey ? "Ctrl+" : "") + (e.altKey ? "Alt+" : "") + (e.shiftKey ? "Shift+" : "") + (e.location === 3 ? "Num+" : "") + name;
}

class Page {
  constructor(data) {
    this.data = data;
    this.player = new Player(data);
    this.scene = new THREE.Scene();
    this.camera = new THREE.PerspectiveCamera(30, 1, 0.1, 1000);
    this.renderer = new THREE.WebGLRenderer({ antialias: true, alpha: true, preserveDrawingBuffer: true });
    this.canvas = this.renderer.domElement;
    this.canvas.tabIndex = 0;
    this.canvas.setAttribute("role", "img");
    this.canvas.setAttribute("aria-label", `${data.name}: drag or arrow keys turn, wheel or plus and minus zoom`);
    this.scene.add(new THREE.HemisphereLight(0xffffff, 0x8a7a68, 1.5));
    const sun = new THREE.DirectionalLight(0xffffff, 2.2);
    sun.position.set(-2, 3, 4);
    this.scene.add(sun);
    this.objects = data.objects.map((o) => new Shown(o, this.scene));
    this.dirty = true;
    this.eye = new Eye(this.canvas, this.camera, () => { this.dirty = true; });
    byId("stage").append(this.canvas);
    this.audio = data.sound ? new Audio(URL.createObjectURL(new Blob([data.sound.data]))) : null;
    if (this.audio) this.audio.volume = data.sound.volume;
    this.heard = 0;
    this.sliders = [];
    this.build();
    this.listen();
    this.resize();
    this.show();
    this.fit();
    byId("poster")?.remove();
    byId("stage").append(byId("said"));
    this.last = null;
    requestAnimationFrame((t) => this.tick(t));
  }

  fit() {
    const box = new THREE.Box3();
    for (const o of this.objects) {
      const own = new THREE.Box3().setFromArray(o.obj.points);
      const matrices = o.obj.copies ? Array.from({ length: o.obj.copies.length / 16 },
        (_, k) => o.mesh.matrix.clone().multiply(new THREE.Matrix4().fromArray(o.obj.copies, 16 * k))) : [o.mesh.matrix];
      for (const m of matrices) box.union(own.clone().applyMatrix4(m));
    }
    this.eye.fit(box);
  }

  build() {
    const side = byId("side"), many = this.data.objects.filter((o) => o.targets.length).length > 1;
    for (const obj of this.data.objects) {
      const free = obj.targets.filter((t) => t.slider);
      if (!free.length) continue;
      make("h2", many ? obj.name : "Targets", side);
      for (const t of free) this.slider(side, obj, t);
    }
    if (this.sliders.length) {
      const free = make("button", "Let the sliders go", side);
      free.title = "The lanes lead again";
      free.onclick = () => { this.player.held.clear(); for (const o of this.data.objects) Object.assign(this.player.own[o.id], o.own); };
    }
    this.cues = new Map();
    if (this.data.cues.length) make("h2", "Cues", side);
    for (const cue of this.data.cues) {
      const row = make("div", "", side, { className: "cue" });
      make("b", cue.name, row);
      const button = make("button", "Begin", row);
      button.setAttribute("aria-label", `Begin ${cue.name}`);
      button.onclick = () => this.player.runner.start(this.player.runner.now, cue.id);
      make("p", cue.says, row);
      this.cues.set(cue.id, row);
    }
    if (this.data.said.length) {
      const more = make("details", "", side);
      make("summary", "What this page leaves out", more);
      for (const sentence of this.data.said) make("p", sentence, more);
    }
    if (!this.sliders.length && !this.data.cues.length && !this.data.said.length) { side.hidden = true; byId("panel").hidden = true; }
    const clips = byId("clip");
    for (const c of this.data.clips) make("option", c.name, clips, { value: c.id });
    clips.value = this.player.clip.id;
    clips.hidden = this.data.clips.length < 2;
  }

  slider(side, obj, t) {
    const row = make("div", "", side, { className: "slider" }), id = `s-${obj.id}-${t.id}`;
    const label = make("label", "", row, { htmlFor: id });
    make("i", "", label).style.background = t.colour;
    label.append(t.name);
    const input = make("input", "", row, { id, type: "range", min: t.low, max: t.high, step: 0.001 });
    const out = make("output", "", row);
    input.oninput = () => { this.player.setWeight(obj.id, t.id, Number(input.value)); };
    this.sliders.push({ obj, t, input, out });
  }

  listen() {
    byId("play").onclick = () => this.toggle();
    byId("home").onclick = () => this.fit();
    byId("panel").onclick = (e) => {
      const side = byId("side");
      side.hidden = !side.hidden;
      e.currentTarget.setAttribute("aria-pressed", String(!side.hidden));
      this.resize();
    };
    const dark = (on) => {
      document.documentElement.dataset.theme = on ? "dark" : "light";
      byId("theme").textContent = on ? "Light" : "Dark";
      this.dirty = true;
    };
    dark(matchMedia("(prefers-color-scheme: dark)").matches);
    byId("theme").onclick = () => dark(document.documentElement.dataset.theme !== "dark");
    byId("clip").onchange = (e) => {
      const p = this.player;
      p.clip = this.data.clips.find((c) => c.id === e.target.value);
      p.frame = p.clip.start;
      p.begin();
      this.heard = 0;
      this.cued = false;
    };
    byId("scrub").oninput = (e) => { this.player.playing = false; this.sound(); this.goTo(Number(e.target.value)); };
    let down = null;
    this.canvas.addEventListener("pointerdown", (e) => { down = [e.clientX, e.clientY]; });
    this.canvas.addEventListener("pointerup", (e) => {
      if (down && Math.hypot(e.clientX - down[0], e.clientY - down[1]) < 5 && e.button === 0) this.touch(e.clientX, e.clientY);
      down = null;
    });
    addEventListener("keydown", (e) => this.key(e));
    new ResizeObserver(() => this.resize()).observe(byId("stage"));
  }

  goTo(frame) { this.player.frame = frame; }

  toggle() {
    const p = this.player;
    if (!p.playing && p.frame >= p.clip.end) p.frame = p.clip.start;
    p.playing = !p.playing;
    this.sound();
  }

  // The sound is heard where the scene stands in time while it plays, unless a cue has it.
  sound() {
    const audio = this.audio, at = (this.player.frame - this.data.sound?.start) / this.data.fps;
    if (!audio || this.cued) return;
    if (!this.player.playing || at < 0 || at >= (audio.duration || Infinity)) { if (!audio.paused) audio.pause(); return; }
    if (!audio.paused && Math.abs(audio.currentTime - at) < 0.25) return;
    audio.currentTime = at;
    audio.play().catch(() => {});
  }

  key(e) {
    const name = keyName(e);
    if (e.repeat && this.data.cues.some((c) => c.when.kind === "key" && c.when.key === name)) { e.preventDefault(); return; }
    const inside = e.target !== document.body && e.target !== this.canvas;
    if (inside && (e.target.tagName !== "BUTTON" || name === "Space" || name === "Return")) return;
    if (this.player.runner.key(this.player.runner.now, name)) { e.preventDefault(); return; }
    const does = { Space: () => this.toggle(), Left: () => this.eye.turn(-6, 0), Right: () => this.eye.turn(6, 0),
      Up: () => this.eye.turn(0, 6), Down: () => this.eye.turn(0, -6), "+": () => this.eye.nearer(0.9), "=": () => this.eye.nearer(0.9),
      "-": () => this.eye.nearer(1.11), Home: () => this.goTo(this.player.clip.start) }[name.replace(/^(Shift\+|Num\+)+/, "")];
    if (does) { e.preventDefault(); does(); }
  }

  touch(x, y) {
    const rect = this.canvas.getBoundingClientRect(), ray = new THREE.Raycaster();
    ray.params.Line.threshold = this.eye.distance * 0.006;
    ray.setFromCamera(new THREE.Vector2((x - rect.left) / rect.width * 2 - 1, 1 - (y - rect.top) / rect.height * 2), this.camera);
    const hit = ray.intersectObjects(this.objects.filter((o) => o.mesh.visible).map((o) => o.mesh), false)[0];
    if (!hit) return false;
    const shown = this.objects.find((o) => o.mesh === hit.object), obj = shown.obj;
    const corners = obj.line ? [obj.line[hit.index], obj.line[hit.index + 1]]
      : [0, 1, 2].map((k) => obj.index[3 * hit.faceIndex + k]).map((v) => (obj.corner ? obj.corner[v] : v));
    const matrix = hit.object.matrix.clone();
    if (obj.copies) matrix.multiply(new THREE.Matrix4().fromArray(obj.copies, 16 * hit.instanceId));
    const far = (p) => new THREE.Vector3().fromArray(shown.points, 3 * p).applyMatrix4(matrix).distanceTo(hit.point);
    const points = [...corners].sort((a, b) => far(a) - far(b));
    return this.player.runner.click(this.player.runner.now, obj.id, obj.line ? -1 : obj.faces[hit.faceIndex], points);
  }

  resize() {
    const { clientWidth: w, clientHeight: h } = byId("stage");
    if (!w || !h) return;
    this.renderer.setPixelRatio(Math.min(devicePixelRatio, 2));
    this.renderer.setSize(w, h, false);
    this.camera.aspect = w / h;
    this.camera.updateProjectionMatrix();
    this.dirty = true;
  }

  show() {
    for (const o of this.objects) if (o.show(this.player.values(o.obj.id))) this.dirty = true;
  }

  tick(t) {
    const seconds = this.last === null ? 0 : Math.min((t - this.last) / 1000, 0.25);
    this.last = t;
    if (!this.held) this.player.step(seconds);
    this.follow();
    requestAnimationFrame((next) => this.tick(next));
  }

  // Everything as it is now.
  follow() {
    const p = this.player, play = byId("play"), text = p.playing ? "❚❚" : "▶";
    this.show();
    for (const [, on] of p.runner.heard.slice(this.heard)) {
      if (!this.audio) continue;
      this.cued = on;
      if (on) { this.audio.currentTime = 0; this.audio.play().catch(() => {}); } else this.audio.pause();
    }
    this.sound();
    this.heard = p.runner.heard.length;
    if (play.textContent !== text) { play.textContent = text; play.setAttribute("aria-label", p.playing ? "Pause" : "Play"); }
    const scrub = byId("scrub");
    scrub.min = p.clip.start; scrub.max = p.clip.end;
    if (document.activeElement !== scrub || p.playing) scrub.value = p.frame;
    byId("time").textContent = `${((p.frame - p.clip.start) / this.data.fps).toFixed(2)} s`;
    for (const { obj, t, input, out } of this.sliders) {
      const value = p.values(obj.id)[t.id], text_ = (Math.abs(value) < 0.005 ? 0 : value).toFixed(2);
      if (out.textContent !== text_) out.textContent = text_;
      if (document.activeElement !== input || !p.held.has(`${obj.id}|${t.id}`)) input.value = value;
    }
    const running = new Set([...p.runner.runs.values()].map((r) => r.cue.id));
    for (const [id, row] of this.cues) row.classList.toggle("runs", running.has(id));
    const names = this.data.cues.filter((c) => running.has(c.id)).map((c) => c.name).join(", ");
    if (byId("said").textContent !== names) byId("said").textContent = names;
    if (this.dirty) {
      this.dirty = false;
      this.renderer.render(this.scene, this.camera);
    }
  }
}

try {
  window.fictilis = new Page(opened(JSON.parse(byId("data").textContent), await unpacked()));
  document.documentElement.dataset.ready = "yes";
} catch (error) { // an old browser, or one without WebGL: the picture stays
  byId("said").textContent = "This browser cannot play the page; a newer one can.";
  throw error;
}
