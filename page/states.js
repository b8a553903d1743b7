// Plays clips by states, as a game would: the page's own reading of docs/states.md, which shares no code
// with the tool's. Everything is in the file's axes and unit.
'use strict';

const Rigid = {
  join: (a, b) => {
    const m = Glb.product(Glb.compose(a.t, a.q, [1, 1, 1]), Glb.compose(b.t, b.q, [1, 1, 1]));
    const [x, y, z, w] = a.q, [X, Y, Z, W] = b.q;
    const q = [w * X + x * W + y * Z - z * Y, w * Y - x * Z + y * W + z * X, w * Z + x * Y - y * X + z * W, w * W - x * X - y * Y - z * Z];
    const n = Math.hypot(...q) || 1;
    return { t: [m[9], m[10], m[11]], q: q.map((v) => v / n) };
  },
  undo: (a) => {
    const q = [-a.q[0], -a.q[1], -a.q[2], a.q[3]], m = Glb.compose([0, 0, 0], q, [1, 1, 1]);
    return { t: Glb.point(m, a.t.map((v) => -v)), q };
  },
  mix: (a, b, w) => ({ t: a.t.map((v, i) => v + (b.t[i] - v) * w), q: Glb.slerp(a.q, b.q, w), s: (a.s || [1, 1, 1]).map((v, i) => v + ((b.s || [1, 1, 1])[i] - v) * w) }),
  none: () => ({ t: [0, 0, 0], q: [0, 0, 0, 1] }),
};

/** Turn about an axis that is left of q, radians. */
const twistOf = (q, axis) => 2 * Math.atan2(q[0] * axis[0] + q[1] * axis[1] + q[2] * axis[2], q[3]);
const wrapped = (a) => a - 2 * Math.PI * Math.round(a / (2 * Math.PI));

class Machine {
  constructor(figure, sheet) {
    this.figure = figure;
    this.sheet = sheet;
    this.up = sidesOf(figure.convention).up;
    this.root = figure.order.find((n) => figure.parent[n] < 0 && figure.isJoint.has(n));
    // Higher priority first; among equals ways from the state itself before those from any.
    this.ways = sheet.ways.map((w, i) => [w, i]).sort(([a, i], [b, j]) => b.priority - a.priority || (a.from === '*') - (b.from === '*') || i - j).map(([w]) => w);
    this.again();
  }

  again() {
    this.flags = { ...this.sheet.flags };
    this.pending = new Set();
    this.seconds = 0;
    this.place = Rigid.none();
    this.heading = 0;
    this.layers = [];
    this.trail = [];
    this.enter(this.sheet.start, 0, 'smooth');
  }

  clip(layer) { return clipOf(this.figure, layer.state.clip); }
  last() { return this.layers[this.layers.length - 1]; }
  weight(layer, blended = layer.blended) {
    if (blended >= layer.blend) return 1;
    const u = blended / layer.blend;
    return layer.shape === 'linear' ? u : u * u * (3 - 2 * u);
  }

  enter(name, blend, shape) {
    const state = this.sheet.states.find((s) => s.name === name), layer = { state, rounds: 0, blended: 0, shape };
    const clip = this.clip(layer), facts = clip.facts || {};
    layer.speed = state.speed * (facts.speed || 1) * (facts.play === 'backwards' ? -1 : 1);
    layer.loops = state.loop === null ? clip.loop !== 'once' : state.loop;
    layer.at = layer.speed < 0 ? clip.seconds : 0;
    layer.ended = clip.seconds <= 0;
    layer.blend = this.layers.length ? blend : 0;
    if (layer.blend <= 0) this.layers = [];
    this.layers.push(layer);
  }

  go(end) {
    const here = this.last().state.name;
    for (const way of this.ways) {
      if ((way.from !== '*' && way.from !== here) || (way.at_end && !end)) continue;
      if (way.on && !this.pending.has(way.on)) continue;
      if (!way.when.every(([flag, value]) => this.flags[flag] === value)) continue;
      const asked = this.pending.delete(way.on);
      if (way.to === here && !way.restart) {
        if (asked) this.idle.push(way.on);
        continue;
      }
      this.enter(way.to, way.blend, way.shape);
      return true;
    }
    return false;
  }

  untilEnd(layer) {
    if (layer.ended || !layer.speed) return Infinity;
    return (layer.speed > 0 ? this.clip(layer).seconds - layer.at : layer.at) / Math.abs(layer.speed);
  }

  /** Local parts of all nodes at a second of a clip: an open loop goes over into its first sample. */
  locals(clip, second) {
    const { figure } = this;
    let at = clip.begin + second, past = 0;
    if (at > clip.last && clip.loop === 'open') { past = Math.min(1, (at - clip.last) * clip.rate); at = clip.last; }
    return figure.names.map((_, n) => {
      const l = figure.local(n, clip, at);
      if (!past) return l;
      let next = figure.local(n, clip, clip.begin);
      const step = n === this.root && !keepsTravel(clip) && figure.step(clip);
      if (step) {
        const m = Glb.product(step, Glb.compose(next.t, next.q, [1, 1, 1]));
        next = { t: [m[9], m[10], m[11]], q: figure.quaternion(m), s: next.s };
      }
      return { ...Rigid.mix(l, next, past), m: l.m };
    });
  }

  /** What the root has travelled, of what the clip carries. */
  travelled(clip, second) {
    const t = (clip.facts && clip.facts.travel) || {}, rest = this.figure.rest[this.root], { up } = this;
    if (keepsTravel(clip)) {
      const m = travelled(this.figure, clip, second);
      return { t: [m[9], m[10], m[11]], q: this.figure.quaternion(m) };
    }
    const root = this.locals(clip, second)[this.root];
    let q = [0, 0, 0, 1];
    if (t.heading) {
      const turn = Rigid.join({ t: [0, 0, 0], q: root.q }, Rigid.undo({ t: [0, 0, 0], q: rest.q })).q, half = twistOf(turn, up) / 2;
      q = [...up.map((v) => v * Math.sin(half)), Math.cos(half)];
    }
    const from = Glb.point(Glb.compose([0, 0, 0], q, [1, 1, 1]), rest.t), place = root.t.map((v, i) => v - from[i]);
    const high = place.reduce((sum, v, i) => sum + v * up[i], 0);
    return { t: place.map((v, i) => (t.ground ? v - high * up[i] : 0) + (t.height ? high * up[i] : 0)), q };
  }

  move(layer, dt) {
    if (layer.ended) return Rigid.none();
    const clip = this.clip(layer), before = layer.at, ends = dt >= this.untilEnd(layer) - 1e-9;
    layer.at = !ends ? before + layer.speed * dt : layer.speed > 0 ? clip.seconds : 0;
    const way = Rigid.join(Rigid.undo(this.travelled(clip, before)), this.travelled(clip, layer.at));
    if (layer === this.last()) this.fire(layer, clip, before, ends && !layer.loops);
    if (ends && !layer.loops) layer.ended = true;
    return way;
  }

  turnOver(layer) {
    if (!layer.loops || !layer.speed || this.untilEnd(layer) > 1e-9) return;
    layer.at = layer.speed > 0 ? 0 : this.clip(layer).seconds;
    ++layer.rounds;
  }

  through(layer, dt) {
    let way = Rigid.none();
    while (dt > 0 && !layer.ended && layer.speed) {
      const now = Math.min(dt, this.untilEnd(layer));
      way = Rigid.join(way, this.move(layer, now));
      this.turnOver(layer);
      dt -= now;
    }
    return way;
  }

  fire(layer, clip, before, withEnd) {
    const ahead = layer.speed > 0, all = [];
    const passed = (at) => (withEnd && Math.abs(at - layer.at) < 1e-9) || (ahead ? at >= before - 1e-9 && at < layer.at - 1e-9 : at <= before + 1e-9 && at > layer.at + 1e-9);
    for (const cue of (clip.facts && clip.facts.cues) || []) {
      if (passed(cue.seconds)) all.push([cue.seconds, { name: cue.name, ends: false }]);
      if (cue.until > cue.seconds && passed(cue.until)) all.push([cue.until, { name: cue.name, ends: true }]);
    }
    all.sort((a, b) => (ahead ? a[0] - b[0] : b[0] - a[0]));
    this.cues.push(...all.map(([, cue]) => cue));
  }

  moveAll(dt) {
    let way = null;
    for (const layer of this.layers) {
      const own = layer === this.last() ? this.move(layer, dt) : this.through(layer, dt);
      // Of a step its middle stands for all of it.
      way = way ? Rigid.mix(way, own, this.weight(layer, layer.blended + dt / 2)) : own;
      layer.blended += dt;
    }
    this.heading += wrapped(twistOf(way.q, this.up));
    this.place = Rigid.join(this.place, way);
    let first = this.layers.length - 1;
    while (first > 0 && this.weight(this.layers[first]) < 1) --first;
    this.layers.splice(0, first);
  }

  /** Time goes on; what happened. */
  advance(seconds) {
    this.cues = [];
    this.idle = [];
    let dt = seconds;
    this.go(this.last().ended);
    while (dt > 1e-9) {
      const now = Math.min(dt, this.untilEnd(this.last()));
      this.moveAll(now);
      dt -= now;
      const last = this.last();
      if ((last.ended || this.untilEnd(last) <= 1e-9) && !this.go(true)) this.turnOver(last);
      if (this.last().ended && this.untilEnd(this.last()) > dt) {
        if (dt > 0) this.moveAll(dt);
        break;
      }
    }
    const here = this.last().state.name, forgotten = [...this.pending].filter((s) => !this.ways.some((w) => w.on === s && (w.from === '*' || w.from === here)));
    forgotten.forEach((s) => this.pending.delete(s));
    const unheard = [...this.idle, ...forgotten];
    this.seconds += seconds;
    return { state: here, at: this.last().at, rounds: this.last().rounds, cues: this.cues, unheard, place: this.place, heading: this.heading };
  }

  /** Shares of the states that are mixed, the newest last. */
  mix() {
    let rest = 1;
    return this.layers.map((l, i) => [l, i]).reverse().map(([l, i]) => {
      const share = i ? rest * this.weight(l) : rest;
      rest -= share;
      return [l.state.name, share];
    }).reverse();
  }

  /** World matrices and weights, for the stage. */
  pose() {
    const { figure } = this, all = this.layers.map((layer) => {
      const clip = this.clip(layer), locals = this.locals(clip, layer.at), root = locals[this.root];
      if (!keepsTravel(clip))
        locals[this.root] = { ...Rigid.join(Rigid.undo(this.travelled(clip, layer.at)), root), s: root.s };
      return locals;
    });
    const mixed = all[0].map((l, n) => all.reduce((sum, locals, i) => (i ? { ...Rigid.mix(sum, locals[n], this.weight(this.layers[i])), m: sum.m } : locals[n]), l));
    const root = mixed[this.root];
    mixed[this.root] = { ...Rigid.join(this.place, root), s: root.s };
    const worlds = new Array(mixed.length);
    for (const n of figure.order) {
      const l = mixed[n], m = l.m ? Float64Array.of(...[0, 1, 2, 4, 5, 6, 8, 9, 10, 12, 13, 14].map((i) => l.m[i])) : Glb.compose(l.t, l.q, l.s || [1, 1, 1]);
      worlds[n] = figure.parent[n] < 0 ? m : Glb.product(worlds[figure.parent[n]], m);
    }
    const weights = (node) => this.layers.reduce((sum, layer, i) => {
      const own = figure.weights(node, this.clip(layer), layer.at);
      return i ? sum.map((v, t) => v + (own[t] - v) * this.weight(layer)) : own;
    }, []);
    return { worlds, page: figure.page, weights };
  }
}

/** The panel, and the keys that set flags and send signals. */
const States = {
  on: false, log: [],

  start() {
    if (!App.facts.states) return;
    this.machine = new Machine(App.figures[0], App.facts.states);
    this.keys = new Map();
    const sheet = App.facts.states;
    for (const name of [...Object.keys(sheet.flags), ...sheet.signals]) {
      const key = [...name.toLowerCase(), ...'abcdefghijklmnopqrstuvwxyz'].find((c) => /[a-z]/.test(c) && ![...this.keys.values()].includes(c));
      this.keys.set(name, key);
    }
    this.on = true;
    App.tab = 'states';
  },

  /** Whoever chooses a clip or a time wants to see that. */
  off() {
    if (!this.on) return;
    this.on = false;
    this.left = true;
    byId('mode').disabled = false;
    changed();
  },
  again() {
    this.machine.again();
    this.log = [];
    this.back();
  },
  /** The states go on where they stood. */
  back() {
    this.on = true;
    this.left = false;
    byId('mode').disabled = true;
    this.show();
    changed();
  },

  say(text) {
    this.log.unshift(`${this.machine.seconds.toFixed(2)} s  ${text}`);
    this.log.length = Math.min(this.log.length, 14);
  },

  press(name) {
    const { machine } = this;
    if (name in machine.flags) {
      machine.flags[name] = !machine.flags[name];
      this.say(`${name} = ${machine.flags[name] ? 'yes' : 'no'}`);
    } else {
      machine.pending.add(name);
      this.say(`${name} is sent`);
    }
    if (!this.on) this.back();
    if (!App.playing) play(true);
    changed();
  },

  key(key) {
    const found = this.machine && [...this.keys].find(([, k]) => k === key);
    if (found) this.press(found[0]);
    return Boolean(found);
  },

  advance(by) {
    const { machine } = this, before = machine.last().state.name, happened = machine.advance(by);
    if (happened.state !== before) this.say(`${before} to ${happened.state}`);
    happened.cues.forEach((c) => this.say(`cue ${c.name}${c.ends ? ' ends' : ''}`));
    happened.unheard.forEach((s) => this.say(`${s} changes nothing`));
    machine.trail.push(placeOn(machine.pose(), machine.root));
    if (machine.trail.length > 900) machine.trail.shift();
    this.show();
  },

  /** The clip and the second of the state that is entered last. */
  show() {
    const layer = this.machine.last();
    if (App.clip !== layer.state.clip) select(layer.state.clip);
    App.seconds = Math.min(layer.at, this.machine.clip(layer).seconds);
    App.rounds = layer.rounds;
  },

  /** Built once; what changes is filled in by refresh(), so that nothing is taken from under the mouse. */
  panel() {
    const sheet = App.facts.states;
    const button = (name) => el('button', { 'data-flag': name, onclick: () => this.press(name) }, el('kbd', {}, this.keys.get(name)), ' ' + name);
    return [
      el('div', { class: 'tabs' }, el('button', { id: 'states-on', onclick: () => (this.on ? this.off() : this.back()) }, 'play states'), el('button', { onclick: () => this.again() }, 'from the start')),
      Object.keys(sheet.flags).length ? el('h2', {}, 'flags') : null,
      el('div', { class: 'tabs' }, ...Object.keys(sheet.flags).map(button)),
      sheet.signals.length ? el('h2', {}, 'signals') : null,
      el('div', { class: 'tabs' }, ...sheet.signals.map(button)),
      el('h2', {}, 'states'),
      el('table', { class: 'shares' }, ...sheet.states.map((s) => el('tr', { 'data-state': s.name }, el('td', {}, s.name), el('td', {}, el('span', { class: 'bar' }, el('i', {})), el('span', {}))))),
      el('h2', {}, 'from here it goes'), el('div', { id: 'states-from' }),
      el('h2', {}, 'what happened'), el('div', { id: 'states-log' }),
    ];
  },

  refresh() {
    const { machine } = this, said = (node, text) => { if (node.textContent !== text) node.textContent = text; };
    if (!machine || App.tab !== 'states' || !byId('states-on')) return;
    const here = machine.last().state.name, mix = machine.mix();
    byId('states-on').setAttribute('aria-pressed', this.on);
    for (const node of byId('panel').querySelectorAll('[data-flag]')) node.setAttribute('aria-pressed', Boolean(machine.flags[node.dataset.flag] || machine.pending.has(node.dataset.flag)));
    for (const row of byId('panel').querySelectorAll('[data-state]')) {
      const share = mix.filter(([name]) => name === row.dataset.state).reduce((sum, [, w]) => sum + w, 0);
      if (row.dataset.state === here) row.setAttribute('aria-current', 'true'); else row.removeAttribute('aria-current');
      row.querySelector('i').style.width = `${100 * share}%`;
      said(row.lastChild.lastChild, share ? ` ${Math.round(100 * share)} %` : '');
    }
    const lines = (id, all) => { if (byId(id).dataset.all !== all.join('\n')) { byId(id).dataset.all = all.join('\n'); byId(id).replaceChildren(...all.map((line) => el('div', {}, line))); } };
    lines('states-from', machine.ways.filter((w) => w.from === '*' || w.from === here).map((w) => [`to ${w.to}`, ...w.when.map(([f, v]) => (v ? 'while ' : 'while not ') + f), ...(w.on ? [`on ${w.on}`] : []), ...(w.at_end ? ['at the end'] : [])].join(', ')));
    lines('states-log', this.log.length ? this.log : [`Press ${[...this.keys.values()].join(', ').toUpperCase()} or a button.`]);
  },

  /** With #play behind its address the page plays the script that is in it, and writes each step into <pre id="played">. */
  check() {
    const { script } = App.facts.states || {};
    if (!script || !Address.words.has('play')) return;
    const machine = new Machine(App.figures[0], App.facts.states), steps = [];
    let next = 0;
    for (let k = 0; k < Math.round(script.seconds * script.rate); ++k) {
      for (; next < script.events.length && script.events[next].seconds <= k / script.rate + 1e-9; ++next) {
        const e = script.events[next];
        if (e.signal) machine.pending.add(e.name); else machine.flags[e.name] = e.value;
      }
      const happened = machine.advance(1 / script.rate), worlds = machine.pose().worlds;
      steps.push({ state: happened.state, at: happened.at, root: happened.place.t, heading: (happened.heading * 180) / Math.PI, cues: happened.cues, mix: machine.mix(), joints: Object.fromEntries(App.figures[0].joints.map((j) => [App.figures[0].names[j], Array.from(worlds[j].subarray(9))])) });
    }
    document.body.append(el('pre', { id: 'played', hidden: true }, JSON.stringify(steps)));
  },
};
