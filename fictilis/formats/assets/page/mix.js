// From weights to points: pieces of cubics, what drives a weight, the shares of the columns, and the mix.

function pieces(view) {
  const x = view.doubles(view.of.x), c = view.floats(view.of.c);
  return { x, c };
}

function pieceAt(p, at) {
  const x = p.x, last = x.length - 2;
  if (at <= x[0]) at = x[0];
  if (at >= x[last + 1]) at = x[last + 1];
  let low = 0, high = last;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (x[middle] <= at) low = middle; else high = middle - 1;
  }
  const u = (at - x[low]) / (x[low + 1] - x[low]), c = p.c, k = 4 * low;
  return ((c[k + 3] * u + c[k + 2]) * u + c[k + 1]) * u + c[k];
}

// The weights that follow others, put into the values of an object's channels; and what each target acts with.
function drive(obj, values) {
  const acting = obj.targets.map((t) => (values[t.id] ?? 0) * t.gain);
  for (const d of obj.drives) {
    const target = obj.targets[d.n];
    let found;
    if (d.drivers) {
      const factors = d.drivers.map(([n, at, width]) =>
        Math.min(Math.max(width > 0 ? 1 - Math.abs(acting[n] - at) / width : acting[n] / at, 0), 1));
      found = d.smallest ? Math.min(...factors) : factors.reduce((a, b) => a * b, 1);
    } else {
      found = pieceAt(d.curve, d.source === null ? values[d.channel] ?? 0 : acting[d.source]);
    }
    values[target.id] = found;
    acting[d.n] = found * target.gain;
  }
  return acting;
}

function passed(sweep, front, place) {
  const wide = Math.max(sweep.softness, 1e-3);
  const x = Math.min(Math.max((front * (1 + wide) - place) / wide, 0), 1);
  return sweep.linear ? x : x * x * (3 - 2 * x);
}

// The share of each column for the values of an object's channels.
function sharesOf(obj, values) {
  const out = new Float64Array(obj.columns.length), acting = drive(obj, values);
  obj.targets.forEach((t, n) => {
    const w = acting[n];
    if (w === 0) return;
    let parts = t.parts ? t.parts.map((p) => pieceAt(p, w)) : [w];
    if (t.sweep) {
      const other = obj.targets.find((o) => o.id === t.sweep.until && o.sweep);
      parts = Array.from({ length: t.sweep.bands }, (_, k) => {
        const place = k / (t.sweep.bands - 1);
        let up = passed(t.sweep, values[t.id + ".front"] ?? 1, place);
        if (other) up *= 1 - passed(other.sweep, values[other.id + ".front"] ?? 1, place);
        return w * up;
      });
    }
    parts.forEach((part, k) => { out[t.first + k] += part; });
    for (const [first, count] of t.under) {
      for (let k = 0; k < count; k++) out[first + k] += parts[parts.length - 1];
    }
  });
  return out;
}

// Points of an object for the values of its channels, into ``out``.
function mixed(obj, values, out) {
  const shares = sharesOf(obj, values);
  out.set(obj.points);
  for (let n = 0; n < shares.length; n++) {
    const share = shares[n];
    if (share === 0) continue;
    const { i, d } = obj.columns[n];
    for (let k = 0, m = 0; k < i.length; k++, m += 3) {
      const p = 3 * i[k];
      out[p] += share * d[m];
      out[p + 1] += share * d[m + 1];
      out[p + 2] += share * d[m + 2];
    }
  }
  return out;
}
