// Cues, run with time passed in: the same events give the same values however often they are looked at.

const KEYWORDS = { "ease": [0.25, 0.1, 0.25, 1], "ease-in": [0.42, 0, 1, 1], "ease-out": [0, 0, 0.58, 1],
  "ease-in-out": [0.42, 0, 0.58, 1] };
const BACK = 1.70158;
const IN = {
  sine: (t) => 1 - Math.cos(t * Math.PI / 2), quad: (t) => t ** 2, cubic: (t) => t ** 3, quart: (t) => t ** 4,
  quint: (t) => t ** 5, expo: (t) => (t <= 0 ? 0 : 2 ** (10 * t - 10)), circ: (t) => 1 - Math.sqrt(Math.max(1 - t * t, 0)),
  back: (t) => (BACK + 1) * t ** 3 - BACK * t ** 2,
  elastic: (t) => (t <= 0 ? 0 : t >= 1 ? 1 : -(2 ** (10 * t - 10)) * Math.sin((t * 10 - 10.75) * (2 * Math.PI / 3))),
  bounce: (t) => 1 - bounce(1 - t),
};

function bounce(t) {
  const n = 7.5625, d = 2.75;
  if (t < 1 / d) return n * t * t;
  if (t < 2 / d) return n * (t - 1.5 / d) ** 2 + 0.75;
  if (t < 2.5 / d) return n * (t - 2.25 / d) ** 2 + 0.9375;
  return n * (t - 2.625 / d) ** 2 + 0.984375;
}

function inOut(name, t) {
  if (name === "back") {
    const s = BACK * 1.525;
    return t < 0.5 ? ((2 * t) ** 2 * ((s + 1) * 2 * t - s)) / 2 : ((2 * t - 2) ** 2 * ((s + 1) * (2 * t - 2) + s) + 2) / 2;
  }
  if (name === "elastic") {
    const wave = Math.sin((20 * t - 11.125) * (2 * Math.PI / 4.5));
    return t <= 0 ? 0 : t >= 1 ? 1 : t < 0.5 ? -(2 ** (20 * t - 10)) * wave / 2 : 2 ** (-20 * t + 10) * wave / 2 + 1;
  }
  return t < 0.5 ? IN[name](Math.min(2 * t, 1)) / 2 : 1 - IN[name](Math.min(2 - 2 * t, 1)) / 2;
}

function bezier(s, a, b) {
  const r = 1 - s;
  return 3 * r * r * s * a + 3 * r * s * s * b + s ** 3;
}

function easeAt(ease, u) {
  if (u <= 0 || u >= 1) return u <= 0 ? 0 : 1;
  if (ease === "linear") return u;
  const named = /^([a-z]+)-(in|out|in-out)$/.exec(ease);
  if (named && IN[named[1]]) {
    const [, name, way] = named;
    return way === "in" ? IN[name](u) : way === "out" ? 1 - IN[name](1 - u) : inOut(name, u);
  }
  const [x1, y1, x2, y2] = KEYWORDS[ease] ?? ease.match(/[+-]?(\d*\.)?\d+(e[+-]?\d+)?/gi).map(Number);
  let low = 0, high = 1, s = u;
  for (let n = 0; n < 80; n++) { // Newton's method within a bracket that is halved where a step would leave it
    const off = bezier(s, x1, x2) - u;
    if (Math.abs(off) < 2e-15 || high - low < 1e-16) break;
    if (off < 0) low = s; else high = s;
    const r = 1 - s, slope = 3 * r * r * x1 + 6 * r * s * (x2 - x1) + 3 * s * s * (1 - x2);
    const step = slope > 0 ? s - off / slope : NaN;
    s = step > low && step < high ? step : (low + high) / 2;
  }
  return bezier(s, y1, y2);
}

const SETTLED = Math.log(1000), TAIL = 4, STEEPEST = 12, STEP = 1e-4, UNIT = 1e-6;

function dampingOf(ease) {
  if (ease === "spring") return 0.5;
  return ease.startsWith("spring(") ? Number(ease.slice(7, -1)) : null;
}

// How steeply an easing rises at a part of its time, within STEEPEST; beside its ends, where some jump.
function slopeAt(ease, u) {
  const low = Math.min(Math.max(u - UNIT / 2, UNIT), 1 - 2 * UNIT);
  return Math.min(Math.max((easeAt(ease, low + UNIT) - easeAt(ease, low)) / UNIT, -STEEPEST), STEEPEST);
}

// A number on its way from ``begun`` on; ``goal`` null is what the scene has there without cues.
class Segment {
  constructor(begun, seconds, ease, goal, away, rate = 0, carry = false) {
    Object.assign(this, { begun, seconds, ease, goal, away, rate, carry, damping: dampingOf(ease) });
    this.ends = begun + seconds * (this.damping !== null ? TAIL : 1);
  }

  left(t) {
    if (t >= this.ends) return 0;
    if (this.damping !== null) return this.sprung(t - this.begun);
    const u = (t - this.begun) / this.seconds;
    let out = this.away * (1 - easeAt(this.ease, u));
    if (this.carry) out += (this.seconds * this.rate + this.away * slopeAt(this.ease, 0)) * u * (1 - u) ** 2;
    return out;
  }

  // How fast what is left changes, 1/s; at its end as it arrives, and after it 0.
  speed(t) {
    if (t > this.ends || !this.seconds) return 0;
    if (this.damping !== null) return (this.sprung(t - this.begun + STEP) - this.sprung(t - this.begun - STEP)) / (2 * STEP);
    const u = (t - this.begun) / this.seconds;
    const out = -this.away * slopeAt(this.ease, u);
    const more = this.carry ? this.seconds * this.rate + this.away * slopeAt(this.ease, 0) : 0;
    return (out + more * (1 - u) * (1 - 3 * u)) / this.seconds;
  }

  sprung(t) {
    const z = this.damping, w = SETTLED / (z * this.seconds), fade = Math.exp(-z * w * t);
    if (z >= 1) return fade * (this.away + (this.rate + w * this.away) * t);
    const wd = w * Math.sqrt(1 - z * z);
    return fade * (this.away * Math.cos(wd * t) + (this.rate + z * w * this.away) / wd * Math.sin(wd * t));
  }
}

// A clip from ``begun`` on, ``times`` times (0: until told); without an amount the scene standing at ``frame()``.
class Layer {
  constructor(clip, fps, frame, begun = 0, times = 1, amount = null, run = 0) {
    Object.assign(this, { clip, fps, frame, begun, times, amount, run, stopped: null });
    this.length = clip ? clip.end - clip.start : 0;
  }

  get stands() { return this.amount === null; }
  get ends() { return this.times ? this.begun + this.times * this.length / this.fps : Infinity; }
  covers(t) { return this.stands ? 1 : this.amount.goal + this.amount.left(t); }

  at(t) {
    if (this.stands) return this.frame();
    if (this.stopped !== null) t = Math.min(t, this.stopped);
    if (t >= this.ends) return this.clip.end;
    const gone = Math.max(t - this.begun, 0) * this.fps;
    return this.clip.start + gone - this.length * Math.floor(gone / this.length);
  }

  passes(marker, after) {
    if (this.stands || marker < this.clip.start || marker > this.clip.end) return null;
    const offset = (marker - this.clip.start) / this.fps, span = this.length / this.fps;
    let rounds = Math.max(Math.floor((after - this.begun - offset) / span) + 1, 0);
    while (this.begun + rounds * span + offset <= after) rounds++;
    return this.times && rounds >= this.times ? null : this.begun + rounds * span + offset;
  }
}

const MOST_AT_ONCE = 2000, MOST_WAITING = 16;

class Runner {
  // ``data`` is the page's; ``own[object][channel]`` what there is without lanes; ``frame()`` where the scene stands in time.
  constructor(data, own, clip, frame) {
    Object.assign(this, { data, own, now: 0, segments: new Map(), runs: new Map(), holds: new Map(), queue: [], heard: [],
      log: [], arrived: new Map(), due: [], order: 0, number: 0, atOnce: [0, 0], turned: new Map() });
    this.stack = [new Layer(clip, data.fps, frame)];
    for (const cue of data.cues) {
      if (cue.when.kind === "start") this.later(0, () => this.begin(0, cue));
      if (cue.when.kind === "every") this.again(cue, 1);
    }
    this.advance(0);
  }

  advance(t) {
    while (this.due.length && this.due[0].t <= t) {
      const next = this.due.shift();
      this.now = next.t;
      next.run(next.t);
    }
    this.now = Math.max(this.now, t);
  }

  later(t, run) {
    if (!(t < Infinity)) return;
    const entry = { t, order: this.order++, run };
    let at = this.due.length;
    while (at && (this.due[at - 1].t > t)) at--;
    this.due.splice(at, 0, entry);
  }

  again(cue, n) {
    this.later(cue.when.seconds * n, (t) => { this.begin(t, cue); this.again(cue, n + 1); });
  }

  click(t, object, face = -1, points = []) {
    return this.external(t, (c) => c.when.kind === "click" && c.when.owner === object && this.touched(c, face, points));
  }

  key(t, name) { return this.external(t, (c) => c.when.kind === "key" && c.when.key === name); }
  start(t, id) { return this.external(t, (c) => c.id === id); }

  external(t, listens) {
    this.advance(t);
    const begun = this.data.cues.filter(listens);
    for (const cue of begun) this.begin(this.now, cue);
    this.advance(this.now);
    return begun.length > 0;
  }

  touched(cue, face, points) {
    if (!cue.when.pick) return true;
    const pick = this.data.objects.find((o) => o.id === cue.when.owner).picks[cue.when.pick];
    if (!pick) return false;
    return pick.faces ? pick.faces.includes(face) : points.length > 0 && pick.points.includes(points[0]);
  }

  begin(t, cue) {
    this.atOnce = this.atOnce[0] === t ? [t, this.atOnce[1] + 1] : [t, 1];
    if (this.atOnce[1] > MOST_AT_ONCE) throw new Error(`${cue.name} begins without end.`);
    const keys = cue.goals.map(([key]) => key.join("|"));
    const others = [...this.runs.values()].filter((r) => r.cue === cue || keys.some((k) => r.keys.has(k)));
    const busy = others.some((r) => r.until < Infinity || r.cue === cue);
    if (busy && cue.meets === "leave") return;
    if (busy && cue.meets === "queue") {
      if (this.queue.length < MOST_WAITING) this.queue.push(cue);
      return;
    }
    const homes = new Map(keys.map((k) => [k, this.home(k)]));
    const old = others.filter((r) => r.cue === cue && r.layer).map((r) => r.layer);
    for (const other of others) this.takeFrom(other, other.cue === cue ? null : keys);
    const run = { number: ++this.number, cue, homes, keys: new Set(keys), phase: "going", begun: t, until: t, layer: null };
    this.runs.set(run.number, run);
    this.log.push([t, cue.id, "begins"]);
    cue.goals.forEach(([key, goal], n) => {
      this.holds.set(keys[n], run);
      if (key[0] !== "play") this.lead(t, keys[n], goal, cue.act.seconds, cue.act.ease, cue.carry);
    });
    const act = cue.act;
    if (act.kind === "clip") this.play(t, run, old);
    else if (act.kind === "sound") this.hear(t, act.on);
    else if (act.kind === "end") this.tell(t, act.cue);
    const going = act.kind === "clip" ? run.layer.ends - t : act.kind === "sound" || act.kind === "end" ? 0 : act.seconds;
    this.phase(t, run, "going", going);
  }

  hear(t, on) { this.heard.push([t, on]); }

  home(key) {
    const holder = this.holds.get(key);
    if (holder && holder.cue.then.kind === "back") return holder.homes.get(key);
    const segment = this.segments.get(key);
    return segment ? segment.goal : null;
  }

  takeFrom(run, keys) {
    if (keys) for (const k of keys) if (k !== "play") run.keys.delete(k);
    if (!keys || !run.keys.size) this.over(run);
  }

  over(run) {
    this.runs.delete(run.number);
    for (const [key, holder] of [...this.holds]) if (holder === run) this.holds.delete(key);
    if (run.layer) run.layer.run = 0;
  }

  phase(t, run, phase, seconds) {
    Object.assign(run, { phase, begun: t, until: t + seconds });
    this.later(run.until, (at) => this.next(at, run, phase));
  }

  next(t, run, phase) {
    if (this.runs.get(run.number) !== run || run.phase !== phase || run.until > t) return;
    if (phase === "going") this.phase(t, run, "waiting", run.cue.then.wait);
    else if (phase === "waiting") this.then(t, run);
    else this.ended(t, run);
  }

  then(t, run) {
    const then = run.cue.then;
    if (then.kind !== "back") { this.ended(t, run); return; }
    const ease = then.ease || run.cue.act.ease;
    for (const key of run.keys) {
      const kind = key.split("|")[0];
      if (kind === "turn") this.lead(t, key, run.homes.get(key) ?? this.initial(key), then.seconds, ease, run.cue.carry);
      else if (kind === "value" || kind === "place") this.lead(t, key, run.homes.get(key), then.seconds, ease, run.cue.carry);
      else if (kind === "heard") this.hear(t, false);
    }
    if (run.layer) this.uncover(t, run.layer, then.seconds, ease);
    this.phase(t, run, "back", then.seconds);
    this.log.push([t, run.cue.id, "comes back"]);
  }

  ended(t, run) {
    this.over(run);
    this.log.push([t, run.cue.id, "ends"]);
    for (const cue of this.data.cues) if (cue.when.kind === "after" && cue.when.cue === run.cue.id) this.begin(t, cue);
    if (run.cue.then.kind === "next") {
      const following = this.data.cues.find((c) => c.id === run.cue.then.cue);
      if (following) this.begin(t, following);
    }
    this.fromQueue(t);
  }

  fromQueue(t) {
    const waiting = this.queue;
    this.queue = [];
    for (const cue of waiting) this.begin(t, cue);
  }

  tell(t, id) {
    this.queue = this.queue.filter((c) => c.id !== id);
    for (const run of [...this.runs.values()].filter((r) => r.cue.id === id && r.phase !== "back")) {
      if (run.phase === "going" && run.layer) run.layer.stopped = t;
      run.phase = "";
      this.then(t, run);
    }
  }

  lead(t, key, goal, seconds, ease, carry) {
    const base = this.base(key, t), now = this.numberAt(key, t), aim = goal ?? base;
    carry = carry || ease.startsWith("spring");
    const rate = carry ? this.rate(key, t, goal === null) : 0;
    const segment = new Segment(t, seconds, ease, goal, now - aim, rate, carry);
    if (key.startsWith("turn|")) this.turned.set(key, segment);
    this.segments.set(key, segment);
    if (goal === null) {
      this.later(segment.ends, () => {
        if (this.segments.get(key) !== segment) return;
        this.segments.delete(key);
        this.arrived.set(key, segment);
      });
    }
  }

  turnedTrack(key, clip) {
    const [, object, channel, number] = key.split("|");
    return clip.turned.find((x) => x.object === object && x.channel === channel && x.modifier === Number(number));
  }

  initial(key) {
    const found = this.turnedTrack(key, this.data.clips.find((c) => c.id === this.data.hand) ?? this.data.clips[0]);
    return found ? found.on : 0;
  }

  base(key, t) {
    const [kind, object, channel] = key.split("|");
    if (kind === "turn") return this.initial(key);
    return kind === "heard" ? 0 : this.without(object, t)[channel] ?? 0;
  }

  numberAt(key, t) {
    const segment = this.segments.get(key);
    return segment ? (segment.goal ?? this.base(key, t)) + segment.left(t) : this.base(key, t);
  }

  rate(key, t, toBase) {
    let segment = this.segments.get(key);
    if (!segment && this.arrived.get(key)?.ends === t) segment = this.arrived.get(key);
    const rate = segment ? segment.speed(t) : 0, led = !segment || segment.goal === null;
    return led === toBase ? rate : rate + (led ? 1 : -1) * this.baseRate(key, t);
  }

  baseRate(key, t) { // on the calmer side, as what is held may jump
    const here = this.base(key, t), rates = [STEP, -STEP].map((step) => (this.base(key, t + step) - here) / step);
    return Math.abs(rates[0]) < Math.abs(rates[1]) ? rates[0] : rates[1];
  }

  // Every channel's value of an object without what cues lead.
  without(object, t) {
    let out = null;
    for (const layer of this.stack) {
      const part = layer.covers(t);
      if (part === 0) continue;
      const values = this.layerValues(layer, object, t);
      if (part === 1 || out === null) { out = values; continue; }
      for (const name of Object.keys(out)) out[name] += ((values[name] ?? out[name]) - out[name]) * part;
    }
    return out;
  }

  layerValues(layer, object, t) {
    const out = { ...this.own[object] }, frame = layer.at(t), clip = layer.clip;
    for (const [channel, track] of Object.entries(clip?.tracks[object] ?? {})) out[channel] = pieceAt(track, frame);
    for (const [key, segment] of this.turned) {
      const found = clip && key.split("|")[1] === object ? this.turnedTrack(key, clip) : null;
      if (!found) continue;
      const on = Math.min(Math.max(segment.goal + segment.left(t), 0), 1);
      const off = pieceAt(found.without, frame);
      out[found.channel] = off + (pieceAt(found.with, frame) - off) * on;
    }
    return out;
  }

  play(t, run, old) {
    const act = run.cue.act, amount = new Segment(t, act.seconds, act.ease, 1, -1);
    for (const layer of old) this.uncover(t, layer, act.seconds, act.ease);
    const clip = this.data.clips.find((c) => c.id === act.clip);
    run.layer = new Layer(clip, this.data.fps, null, t, act.times, amount, run.number);
    this.stack.push(run.layer);
    const layer = run.layer, stays = run.cue.then.kind !== "back";
    this.later(amount.ends, () => {
      const place = this.stack.indexOf(layer);
      if (stays && place > 0 && layer.amount === amount) this.letGo(this.stack.splice(1, place - 1));
    });
    for (const marker of new Set(this.data.cues.filter((c) => c.when.kind === "marker").map((c) => c.when.marker))) {
      for (const m of this.data.markers) if (m.name === marker) this.passing(layer, marker, m.frame, t - 1e-9);
    }
  }

  uncover(t, layer, seconds, ease) {
    layer.amount = new Segment(t, seconds, ease, 0, layer.covers(t));
    this.later(layer.amount.ends, (at) => {
      const gone = this.stack.filter((x) => !x.stands && x.amount.goal === 0 && at >= x.amount.ends);
      this.stack = this.stack.filter((x) => !gone.includes(x));
      this.letGo(gone);
    });
  }

  letGo(layers) {
    const numbers = layers.map((x) => x.run).filter(Boolean);
    for (const n of numbers) {
      const run = this.runs.get(n);
      if (run && run.phase !== "back") this.over(run);
    }
    if (numbers.length) this.fromQueue(this.now);
  }

  passing(layer, marker, frame, after) {
    const t = layer.passes(frame, after);
    if (t !== null) this.later(t, (at) => this.passed(at, layer, marker, frame));
  }

  passed(t, layer, marker, frame) {
    if (!this.stack.includes(layer)) return;
    this.passing(layer, marker, frame, t);
    if (layer === this.stack[this.stack.length - 1] && layer.amount.goal === 1 && layer.stopped === null) {
      for (const cue of this.data.cues) if (cue.when.kind === "marker" && cue.when.marker === marker) this.begin(t, cue);
    }
  }

  // Every channel's value of an object now.
  values(object) {
    const t = this.now, out = this.without(object, t);
    for (const key of this.segments.keys()) {
      const [kind, owner, channel] = key.split("|");
      if (owner !== object) continue;
      if (kind === "value") out[channel] = this.numberAt(key, t);
      if (kind === "place") {
        const relay = this.data.objects.find((o) => o.id === object).relays[channel];
        const place = Math.min(Math.max(this.numberAt(key, t), 0), relay.last);
        for (const [id, share] of Object.entries(relay.shares)) out[id] = pieceAt(share, place);
      }
    }
    return out;
  }
}
