// A figure: the skin file of a crate (or any scene) and clips that move it, posed in the file's own
// axes and unit, and the matrix that stands it up on the page: metres, +Y up, +Z front, right-handed.
'use strict';

const AXES = { '+X': [1, 0, 0], '-X': [-1, 0, 0], '+Y': [0, 1, 0], '-Y': [0, -1, 0], '+Z': [0, 0, 1], '-Z': [0, 0, -1] };
const cross = (a, b) => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
const nameOfAxis = (v) => Object.keys(AXES).find((k) => AXES[k].every((x, i) => Math.abs(x - v[i]) < 1e-9));

/** Up, front and left of a convention, in its axes. The cross product of two sides follows the hand. */
function sidesOf(convention) {
  const up = AXES[convention.up], front = AXES[convention.front];
  const left = cross(up, front).map((x) => (convention.hand === 'left' ? -x : x) + 0);
  return { up, front, left };
}

/** From a convention to the page. */
function toPage(convention) {
  const { up, front, left } = sidesOf(convention), m = convention.metres_per_unit;
  const out = new Float64Array(12);
  for (let c = 0; c < 3; ++c) [left, up, front].forEach((row, r) => { out[3 * c + r] = m * row[c]; });
  return out;
}

class Clip {
  /** `file`: with the motion; `facts`: what the manifest says of it, or null. */
  constructor(name, file, animation, facts) {
    this.name = name;
    this.file = file;
    this.facts = facts;
    this.animation = file.animation(animation) || { channels: [], samplers: [] };
    const ends = this.animation.samplers.map((s) => file.accessor(s.input).values);
    this.first = Math.min(...ends.map((t) => t[0]), Infinity);
    this.last = Math.max(...ends.map((t) => t[t.length - 1]), -Infinity);
    if (!Number.isFinite(this.first)) this.first = this.last = 0;
    const [num, den] = ((facts && facts.rate) || '0').split('/').map(Number);
    const keys = Math.max(1, ...ends.map((t) => t.length));
    this.rate = num ? num / (den || 1) : keys > 1 ? (keys - 1) / (this.last - this.first) : 30;
    this.begin = facts && facts.samples ? this.last - (facts.samples - 1) / this.rate : this.first;
    this.samples = facts && facts.samples ? facts.samples : Math.round((this.last - this.begin) * this.rate) + 1;
    this.loop = (facts && facts.loop) || 'once';
    /** Seconds of one turn: an open loop leads back to its first sample. */
    this.seconds = facts && facts.period_intervals ? facts.period_intervals / this.rate : this.last - this.begin;
  }

  /** Curves of nodes by name: { translation, rotation, scale, weights }. */
  tracks() {
    if (this.byName) return this.byName;
    this.byName = new Map();
    const of = (name) => {
      if (!this.byName.has(name)) this.byName.set(name, {});
      return this.byName.get(name);
    };
    for (const c of this.animation.channels)
      if (c.target.node !== undefined)
        of(this.file.json.nodes[c.target.node].name || '#' + c.target.node)[c.target.path] = this.animation.samplers[c.sampler];
    const extras = this.animation.extras || {};
    for (const w of extras.morph_weights || []) of(w.mesh).weights = this.animation.samplers[w.sampler];
    return this.byName;
  }

  scalars() {
    const extras = this.animation.extras || {};
    return (extras.scalars || []).map((s) => ({ name: s.name, unit: s.unit, sampler: this.animation.samplers[s.sampler] }));
  }
}

class Figure {
  constructor(name, skin, manifest) {
    this.name = name;
    this.file = skin;
    this.manifest = manifest;
    this.convention = skin.convention();
    this.page = toPage(this.convention);
    const nodes = skin.json.nodes || [];
    this.parent = new Int32Array(nodes.length).fill(-1);
    nodes.forEach((n, i) => (n.children || []).forEach((c) => { this.parent[c] = i; }));
    this.order = [];
    const visit = (i) => { this.order.push(i); (nodes[i].children || []).forEach(visit); };
    nodes.forEach((n, i) => { if (this.parent[i] < 0) visit(i); });
    this.names = nodes.map((n, i) => n.name || '#' + i);
    const joints = new Set();
    for (const s of skin.json.skins || []) s.joints.forEach((j) => joints.add(j));
    if (!joints.size) nodes.forEach((n, i) => { if (n.mesh === undefined && n.camera === undefined) joints.add(i); });
    /** Indices of the joints, parents first. */
    this.joints = this.order.filter((i) => joints.has(i));
    this.isJoint = joints;
    this.rest = nodes.map((n) => ({ t: n.translation || [0, 0, 0], q: n.rotation || [0, 0, 0, 1], s: n.scale || [1, 1, 1], m: n.matrix }));
    this.clips = [];
  }

  /** The joint above a joint, or -1. */
  jointAbove(joint) {
    let up = this.parent[joint];
    while (up >= 0 && !this.isJoint.has(up)) up = this.parent[up];
    return up;
  }

  /** Local parts of a node at a time of a clip; at rest without one. */
  local(node, clip, seconds) {
    const rest = this.rest[node], track = clip && clip.tracks().get(this.names[node]);
    if (!track) return rest;
    const get = (path, other, turns) => (track[path] ? Glb.sample(clip.file, track[path], seconds, turns) : other);
    return { t: get('translation', rest.t), q: get('rotation', rest.q, true), s: get('scale', rest.s), m: track.translation || track.rotation || track.scale ? undefined : rest.m };
  }

  /** World matrices of all nodes at a time from the beginning of a clip, in the file's axes and unit. */
  worlds(clip, seconds) {
    const out = new Array(this.names.length);
    let at = clip ? clip.begin + seconds : 0, past = 0;
    if (clip && at > clip.last && clip.loop === 'open') {
      past = Math.min(1, (at - clip.last) * clip.rate);
      at = clip.last;
    }
    const step = past && !keepsTravel(clip) ? this.step(clip) : null;
    for (const n of this.order) {
      let l = this.local(n, clip, at);
      if (past) {
        // Between the last sample and the first one of the next turn, which stands a step further.
        let next = this.local(n, clip, clip.begin);
        if (this.parent[n] < 0 && step) {
          const m = Glb.product(step, Glb.compose(next.t, next.q, next.s));
          next = { t: [m[9], m[10], m[11]], q: this.quaternion(m), s: next.s };
        }
        l = { t: l.t.map((x, i) => x + (next.t[i] - x) * past), q: Glb.slerp(l.q, next.q, past), s: l.s.map((x, i) => x + (next.s[i] - x) * past) };
      }
      const m = l.m ? Float64Array.of(...[0, 1, 2, 4, 5, 6, 8, 9, 10, 12, 13, 14].map((i) => l.m[i])) : Glb.compose(l.t, l.q, l.s);
      out[n] = this.parent[n] < 0 ? m : Glb.product(out[this.parent[n]], m);
    }
    return out;
  }

  /** Place of one node at a time from the beginning of a clip, no later than its last sample. */
  placeOf(node, clip, seconds) {
    let p = [0, 0, 0];
    for (let n = node; n >= 0; n = this.parent[n]) {
      const l = this.local(n, clip, clip.begin + seconds);
      p = Glb.point(l.m ? Float64Array.of(...[0, 1, 2, 4, 5, 6, 8, 9, 10, 12, 13, 14].map((i) => l.m[i])) : Glb.compose(l.t, l.q, l.s), p);
    }
    return p;
  }

  quaternion(m) {
    const t = m[0] + m[4] + m[8];
    if (t > 0) {
      const s = 2 * Math.sqrt(t + 1);
      return [(m[5] - m[7]) / s, (m[6] - m[2]) / s, (m[1] - m[3]) / s, s / 4];
    }
    const i = m[0] > m[4] && m[0] > m[8] ? 0 : m[4] > m[8] ? 1 : 2, j = (i + 1) % 3, k = (i + 2) % 3;
    const s = 2 * Math.sqrt(Math.max(0, 1 + m[4 * i] - m[4 * j] - m[4 * k]));
    const q = [0, 0, 0, (m[3 * j + k] - m[3 * k + j]) / s];
    q[i] = s / 4; q[j] = (m[3 * j + i] + m[3 * i + j]) / s; q[k] = (m[3 * k + i] + m[3 * i + k]) / s;
    return q;
  }

  /** What one turn of a clip adds, as a matrix over the world, by the manifest; null where it adds nothing. */
  step(clip) {
    const travel = clip.facts && clip.facts.travel;
    if (!travel || clip.loop === 'once') return null;
    if (!(travel.ground || travel.height || travel.heading)) return null;
    const { up } = sidesOf(this.convention), half = ((travel.step_heading_degrees || 0) * Math.PI) / 360;
    const turn = [...up.map((x) => x * Math.sin(half)), Math.cos(half)];
    const root = this.order.find((n) => this.parent[n] < 0 && this.isJoint.has(n));
    const l = this.local(root, clip, clip.begin);
    const first = keepsTravel(clip) ? keptTravel(this, clip, clip.begin) : Glb.compose(l.t, l.q, [1, 1, 1]);
    return Glb.product(Glb.product(first, Glb.compose(travel.step, turn, [1, 1, 1])), Glb.inverse(first));
  }

  /** Weights of a mesh node's morph targets. */
  weights(node, clip, seconds) {
    const n = this.file.json.nodes[node], mesh = this.file.json.meshes[n.mesh];
    const rest = n.weights || mesh.weights || ((mesh.primitives[0].targets || []).map(() => 0));
    const track = clip && clip.tracks().get(this.names[node]);
    return track && track.weights ? Glb.sample(clip.file, track.weights, clip.begin + seconds) : rest;
  }

  /** Vertices of a primitive, posed on the processor: places in the file's axes and unit. */
  vertices(node, primitive, worlds, weights) {
    const base = this.file.accessor(primitive.attributes.POSITION).values;
    const from = Float64Array.from(base);
    (primitive.targets || []).forEach((target, t) => {
      if (target.POSITION === undefined || !weights[t]) return;
      const d = this.file.accessor(target.POSITION).values;
      for (let i = 0; i < d.length; ++i) from[i] += weights[t] * d[i];
    });
    const out = new Float32Array(from.length), n = this.file.json.nodes[node];
    const move = (m, v, w) => {
      for (let r = 0; r < 3; ++r) out[v + r] += w * (m[r] * from[v] + m[3 + r] * from[v + 1] + m[6 + r] * from[v + 2] + m[9 + r]);
    };
    if (n.skin === undefined) {
      for (let v = 0; v < from.length; v += 3) move(worlds[node], v, 1);
      return out;
    }
    const matrices = this.skinMatrices(n.skin, worlds);
    for (let set = 0; primitive.attributes['JOINTS_' + set] !== undefined; ++set) {
      const joints = this.file.accessor(primitive.attributes['JOINTS_' + set]).values;
      const share = this.file.accessor(primitive.attributes['WEIGHTS_' + set]).values;
      for (let v = 0; v < joints.length; ++v) if (share[v]) move(matrices[joints[v]], 3 * (v >> 2), share[v]);
    }
    return out;
  }

  /** World times inverse bind, for each joint of a skin. */
  skinMatrices(skin, worlds) {
    const s = this.file.json.skins[skin];
    if (!s.binds) {
      const all = s.inverseBindMatrices === undefined ? null : this.file.accessor(s.inverseBindMatrices).values;
      Object.defineProperty(s, 'binds', {
        value: s.joints.map((j, i) => (all ? Float64Array.of(...[0, 1, 2, 4, 5, 6, 8, 9, 10, 12, 13, 14].map((k) => all[16 * i + k])) : Glb.identity())),
      });
    }
    return s.joints.map((j, i) => Glb.product(worlds[j], s.binds[i]));
  }
}
