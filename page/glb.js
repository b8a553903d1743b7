// Reads GLB files as the glTF 2.0 specification has them: this page is a reader of its own, which
// shares no code with what wrote the files.
'use strict';

const Glb = (() => {
  const COMPONENTS = {
    5120: [Int8Array, 127], 5121: [Uint8Array, 255], 5122: [Int16Array, 32767], 5123: [Uint16Array, 65535],
    5125: [Uint32Array, 1], 5126: [Float32Array, 1],
  };
  const WIDTHS = { SCALAR: 1, VEC2: 2, VEC3: 3, VEC4: 4, MAT2: 4, MAT3: 9, MAT4: 16 };

  /** Bytes of base64 text. */
  function bytesOf(text) {
    if (Uint8Array.fromBase64) return Uint8Array.fromBase64(text);
    const raw = atob(text);
    const bytes = new Uint8Array(raw.length);
    for (let i = 0; i < raw.length; ++i) bytes[i] = raw.charCodeAt(i);
    return bytes;
  }

  class File {
    constructor(bytes) {
      const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
      if (view.getUint32(0, true) !== 0x46546c67) throw new Error('no GLB file');
      const length = view.getUint32(12, true);
      this.json = JSON.parse(new TextDecoder().decode(bytes.subarray(20, 20 + length)));
      this.binary = bytes.subarray(20 + length + 8);
      this.cache = new Map();
    }

    /** The bytes of a buffer view. */
    view(index) {
      const v = this.json.bufferViews[index];
      return this.binary.subarray(v.byteOffset || 0, (v.byteOffset || 0) + v.byteLength);
    }

    /** { count, width, values } of an accessor; numbers as they are meant, fractions of normalised ones. */
    accessor(index) {
      if (this.cache.has(index)) return this.cache.get(index);
      const a = this.json.accessors[index];
      const width = WIDTHS[a.type];
      const [Type, most] = COMPONENTS[a.componentType];
      const scale = a.normalized ? 1 / most : 1;
      const values = a.normalized || a.componentType === 5126 ? new Float32Array(a.count * width) : new Type(a.count * width);
      const read = (viewIndex, offset, count, into) => {
        const v = this.json.bufferViews[viewIndex];
        const stride = v.byteStride || width * Type.BYTES_PER_ELEMENT;
        const from = this.view(viewIndex);
        const data = new DataView(from.buffer, from.byteOffset, from.byteLength);
        const get = { 5120: 'getInt8', 5121: 'getUint8', 5122: 'getInt16', 5123: 'getUint16', 5125: 'getUint32', 5126: 'getFloat32' }[a.componentType];
        for (let i = 0; i < count; ++i)
          for (let c = 0; c < width; ++c) {
            const value = data[get](offset + i * stride + c * Type.BYTES_PER_ELEMENT, true);
            into(i, c, a.normalized ? Math.max(value * scale, -1) : value);
          }
      };
      if (a.bufferView !== undefined)
        read(a.bufferView, a.byteOffset || 0, a.count, (i, c, x) => { values[i * width + c] = x; });
      if (a.sparse) {
        const at = [];
        const s = a.sparse.indices, from = this.view(s.bufferView);
        const Index = COMPONENTS[s.componentType][0];
        for (let i = 0; i < a.sparse.count; ++i)
          at.push(new Index(from.slice((s.byteOffset || 0) + i * Index.BYTES_PER_ELEMENT).buffer, 0, 1)[0]);
        read(a.sparse.values.bufferView, a.sparse.values.byteOffset || 0, a.sparse.count, (i, c, x) => { values[at[i] * width + c] = x; });
      }
      const out = { count: a.count, width, values };
      this.cache.set(index, out);
      return out;
    }

    animation(name) {
      const all = this.json.animations || [];
      return all.find((a) => a.name === name) || all[0];
    }

    /** What the numbers of the file are: its mark, or glTF's own. */
    convention() {
      const mark = this.json.asset.extras && this.json.asset.extras.convention;
      return mark || { up: '+Y', front: '+Z', hand: 'right', metres_per_unit: 1 };
    }
  }

  // ---- matrices: twelve numbers, columns x, y, z, origin, in double precision

  const identity = () => Float64Array.of(1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0);
  function compose(t, q, s) {
    const [x, y, z, w] = q;
    return Float64Array.of(
      (1 - 2 * (y * y + z * z)) * s[0], 2 * (x * y + z * w) * s[0], 2 * (x * z - y * w) * s[0],
      2 * (x * y - z * w) * s[1], (1 - 2 * (x * x + z * z)) * s[1], 2 * (y * z + x * w) * s[1],
      2 * (x * z + y * w) * s[2], 2 * (y * z - x * w) * s[2], (1 - 2 * (x * x + y * y)) * s[2], t[0], t[1], t[2]);
  }
  function point(m, p) {
    return [0, 1, 2].map((r) => m[r] * p[0] + m[3 + r] * p[1] + m[6 + r] * p[2] + m[9 + r]);
  }
  function product(a, b) {
    const out = new Float64Array(12);
    for (let c = 0; c < 4; ++c)
      for (let r = 0; r < 3; ++r)
        out[3 * c + r] = a[r] * b[3 * c] + a[3 + r] * b[3 * c + 1] + a[6 + r] * b[3 * c + 2] + (c === 3 ? a[9 + r] : 0);
    return out;
  }
  /** Inverse of any matrix that has one. */
  function inverse(m) {
    const [a, b, c, d, e, f, g, h, i] = m;
    const A = e * i - f * h, B = f * g - d * i, C = d * h - e * g;
    const det = a * A + b * B + c * C;
    const n = [A, c * h - b * i, b * f - c * e, B, a * i - c * g, c * d - a * f, C, b * g - a * h, a * e - b * d].map((x) => x / det);
    const out = Float64Array.of(...n, 0, 0, 0);
    const o = point(out, [m[9], m[10], m[11]]);
    out[9] = -o[0]; out[10] = -o[1]; out[11] = -o[2];
    return out;
  }
  function slerp(a, b, u) {
    let dot = a[0] * b[0] + a[1] * b[1] + a[2] * b[2] + a[3] * b[3];
    const sign = dot < 0 ? -1 : 1;
    dot = Math.min(1, dot * sign);
    const angle = Math.acos(dot);
    const wa = angle < 1e-6 ? 1 - u : Math.sin((1 - u) * angle) / Math.sin(angle);
    const wb = sign * (angle < 1e-6 ? u : Math.sin(u * angle) / Math.sin(angle));
    const q = [0, 1, 2, 3].map((i) => wa * a[i] + wb * b[i]);
    const n = Math.hypot(...q);
    return q.map((x) => x / n);
  }

  // ---- curves

  /** Value of a sampler at a time, as the specification's appendix C has it. */
  function sample(file, sampler, seconds, turns) {
    const times = file.accessor(sampler.input).values;
    const out = file.accessor(sampler.output);
    const cubic = sampler.interpolation === 'CUBICSPLINE';
    const width = out.values.length / times.length / (cubic ? 3 : 1);
    const at = (k, part = 1) => {
      const from = (cubic ? 3 * k + part : k) * width;
      return Array.from(out.values.subarray(from, from + width));
    };
    const last = times.length - 1;
    if (seconds <= times[0]) return at(0);
    if (seconds >= times[last]) return at(last);
    let low = 0, high = last;
    while (high - low > 1) {
      const middle = (low + high) >> 1;
      if (times[middle] <= seconds) low = middle; else high = middle;
    }
    const span = times[high] - times[low];
    // Key times are single precision: what is meant for a key is on it.
    let u = (seconds - times[low]) / span;
    if (u < 1e-4) u = 0; else if (u > 1 - 1e-4) u = 1;
    if (sampler.interpolation === 'STEP') return at(u < 1 ? low : high);
    const a = at(low), b = at(high);
    if (cubic) {
      const out0 = at(low, 2), in1 = at(high, 0), u2 = u * u, u3 = u2 * u;
      const q = a.map((x, i) => (2 * u3 - 3 * u2 + 1) * x + span * (u3 - 2 * u2 + u) * out0[i] + (-2 * u3 + 3 * u2) * b[i] + span * (u3 - u2) * in1[i]);
      const n = turns ? Math.hypot(...q) : 1;
      return q.map((x) => x / n);
    }
    return turns ? slerp(a, b, u) : a.map((x, i) => x + (b[i] - x) * u);
  }

  return { File, bytesOf, identity, compose, product, inverse, point, slerp, sample };
})();
