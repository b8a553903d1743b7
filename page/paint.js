// What is painted over and under the skins: skeletons, paths, the ground, heights and names.
'use strict';

/** Metres between two points as they are said: 0.532 m, 12.4 mm. */
const lengthOf = (m) => (m && Math.abs(m) < 0.1 ? short(1000 * m, 3) + ' mm' : short(m, 4) + ' m');
const between = (a, b) => Math.hypot(...a.map((x, c) => x - b[c]));
/** The largest of 1, 2, 5 times a power of ten that is no more than x. */
const roundStep = (x) => {
  const ten = 10 ** Math.floor(Math.log10(Math.max(x, 1e-6)));
  return ten * [5, 2, 1].find((n) => n * ten <= x * (1 + 1e-9));
};

const Paint = {
  /** Paths of the root and of chosen joints through one round, in the axes of the files. */
  paths() {
    if (App.paths) return App.paths;
    App.paths = App.figures.map((figure) => {
      const clip = clipOf(figure, App.clip), nodes = new Map([...App.chosen].map((name) => [name, figure.names.indexOf(name)]));
      const root = [], trails = new Map([...nodes].filter(([, node]) => node >= 0).map(([name]) => [name, []]));
      if (!clip || rootOf(figure) === undefined) return { root, trails };
      const every = Math.max(1, Math.ceil(clip.samples / 2000)), last = clip.samples - 1;
      for (let k = 0; ; k = Math.min(k + every, last)) {
        const at = k / clip.rate, put = keepsTravel(clip) ? travelled(figure, clip, at) : null;
        const place = (node) => { const p = figure.placeOf(node, clip, at); return put ? Glb.point(put, p) : p; };
        root.push(place(rootOf(figure)));
        for (const [name, line] of trails) line.push(place(nodes.get(name)));
        if (k >= last) break;
      }
      return { root, trails };
    });
    return App.paths;
  },

  overlay(stage) {
    const { shown } = App;
    App.figures.forEach((figure, i) => {
      if (figure.hidden) return;
      const clip = clipOf(figure, App.clip), pose = App.poses[i], { place } = stage.actors[i];
      if (shown.path && States.on && !i) stage.line(States.machine.trail, color('ink'), 2);
      else if (shown.path && clip) Paint.path(stage, figure, clip, i, place);
      if (shown.ends && clip && !States.on) {
        const { first, last } = Paint.ends(figure, clip, place);
        Paint.bones(stage, figure, first, color('mid'), [2, 3]);
        Paint.bones(stage, figure, last, color('ghost'), [9, 4]);
      }
      if (shown.bones) Paint.bones(stage, figure, pose, color(App.figures.length > 1 ? ['bone', 'warm', 'good', 'mid'][i % 4] : 'bone'));
      if (shown.source && clip && clip.source) Source.draw(stage, figure, clip, App.seconds, shown.apart ? [0.9 * App.wide + 0.2 * App.height, 0, 0] : [0, 0, 0]);
      for (const joint of figure.joints) {
        const p = placeOn(pose, joint), picked = App.chosen.has(figure.names[joint]);
        if (picked) stage.dot(p, color('warm'), 4);
        if (shown.names || picked) stage.label(p, figure.names[joint], picked ? color('warm') : color('ink'), picked);
        if (shown.axes) Paint.axes(stage, figure, pose, joint);
      }
      if (App.figures.length > 1) {
        const p = rootOn(figure, pose);
        stage.label([p[0], App.low - 0.03 * App.height, p[2]], figure.name, color('ink'), true, 'bold 12px sans-serif');
      }
      Paint.measured(stage, figure, pose);
    });
    if (App.shown.grid) Paint.heights(stage);
    stage.labels();
  },

  /** Where the root goes, through this round and the three before it; where chosen joints go, dotted. */
  path(stage, figure, clip, i, place) {
    const { root, trails } = Paint.paths()[i];
    for (let round = Math.max(0, App.rounds - 3); round <= App.rounds; ++round) {
      const page = pageAfter(figure, clip, round, place), on = (line) => line.map((p) => Glb.point(page, p));
      stage.line(on(root), color('ink'), 2);
      if (round === App.rounds) for (const line of trails.values()) stage.line(on(line), color('good'), 2.5, [1, 4]);
    }
  },

  /** The first pose, and the last one with what a round travels taken off: a loop that closes has one. */
  ends(figure, clip, place = [0, 0, 0]) {
    const loops = clip.loop !== 'once', last = clip.loop === 'closed' ? clip.seconds : (clip.samples - 1) / clip.rate;
    return { first: poseOf(figure, clip, 0, 0, place), last: poseOf(figure, clip, last, loops && clip.loop === 'closed' ? -1 : 0, place) };
  },

  /** How far the ends of a closed loop are from each other: { mm, degrees, joint }; null of other clips. */
  seam(figure, clip) {
    if (!clip || clip.loop !== 'closed') return null;
    const { first, last } = Paint.ends(figure, clip), worst = { mm: 0, degrees: 0, joint: '' };
    for (const j of figure.joints) {
      const mm = 1000 * between(placeOn(first, j), placeOn(last, j)), turn = (pose) => figure.quaternion(Glb.product(pose.page, pose.worlds[j]).map((x, c) => (c < 9 ? x / figure.convention.metres_per_unit : x)));
      // By the difference, not by the cosine: that of small turns is 1 in single precision.
      const a = turn(first), b = turn(last), sign = a.reduce((sum, x, c) => sum + x * b[c], 0) < 0 ? -1 : 1;
      worst.degrees = Math.max(worst.degrees, (720 / Math.PI) * Math.asin(Math.min(1, Math.hypot(...a.map((x, c) => x - sign * b[c])) / 2)));
      if (mm > worst.mm) { worst.mm = mm; worst.joint = figure.names[j]; }
    }
    return worst;
  },

  /** How far two chosen joints are from each other. */
  measured(stage, figure, pose) {
    const [a, b, more] = figure.joints.filter((j) => App.chosen.has(figure.names[j])).map((j) => placeOn(pose, j));
    if (!b || more) return;
    stage.line([a, b], color('strong'), 1, [2, 2]);
    stage.label(a.map((x, c) => (x + b[c]) / 2), lengthOf(between(a, b)), color('strong'), true, 'bold 11px sans-serif');
  },

  bones(stage, figure, pose, ink, dash = []) {
    for (const joint of figure.joints) {
      const up = figure.jointAbove(joint);
      if (up >= 0) stage.line([placeOn(pose, up), placeOn(pose, joint)], ink, 2, dash);
      if (!dash.length) stage.dot(placeOn(pose, joint), ink, 2);
    }
  },

  axes(stage, figure, pose, joint) {
    const m = Glb.product(pose.page, pose.worlds[joint]), o = [m[9], m[10], m[11]], size = App.height * 0.04;
    [['X', [], 'warm'], ['Y', [4, 2], 'good'], ['Z', [1, 2], 'strong']].forEach(([name, dash, ink], c) => {
      const d = [m[3 * c], m[3 * c + 1], m[3 * c + 2]], n = Math.hypot(...d) || 1, end = o.map((x, i) => x + (d[i] / n) * size);
      stage.line([o, end], color(ink), 1.5, dash);
      if (App.chosen.has(figure.names[joint])) stage.word(end, name, color(ink), 1, 3);
    });
  },

  /** A grid that goes with the figures, of whole steps from the origin, with the distances from there. */
  ground(stage) {
    const every = roundStep(App.height / 1.5), ink = color('grid'), at = (x) => Math.floor(x / every) * every;
    const reach = Math.min(30, Math.ceil(Math.max(2.5 * App.size, 1.2 * stage.distance) / every)) * every;
    const cx = at(stage.target[0] + every / 2), cz = at(stage.target[2] + every / 2);
    const snap = (x) => Math.round(x / every) * every;
    for (let d = -reach; d <= reach + every / 2; d += every) {
      const x = snap(cx + d), z = snap(cz + d);
      stage.line([[x, 0, cz - reach], [x, 0, cz + reach]], ink, x === 0 ? 1.6 : 0.7);
      stage.line([[cx - reach, 0, z], [cx + reach, 0, z]], ink, z === 0 ? 1.6 : 0.7);
    }
    const numbers = (point, word) => {
      let before = null;
      for (let d = -reach; d <= reach + every / 2; d += every) {
        const value = snap(word.from + d), p = stage.project(point(value));
        if (!value || !p || (word.name && !d) || (before && Math.hypot(p[0] - before[0], p[1] - before[1]) < 34)) continue;
        stage.word(point(value), word.name + lengthOf(value), color('mid'), 3, 10, '10px sans-serif');
        before = [p[0], p[1]];
      }
    };
    numbers((z) => [cx, 0, z], { from: cz, name: '' });
    if (Math.abs(cx) >= every) numbers((x) => [x, 0, cz - every], { from: cx, name: 'left ' });
  },

  /** Heights on a ruler at the left of what is shown, and at its foot the axes of the first figure's files. */
  heights(stage) {
    const { right } = stage.frame, aside = 0.5 * App.wide * App.figures.length + 0.24 * App.size, top = App.low + App.height;
    const foot = [stage.target[0] - right[0] * aside, 0, stage.target[2] - right[2] * aside];
    const level = Math.abs(stage.frame.back[1]) < 0.9, at = (y, x = 0) => [foot[0] + right[0] * x, y, foot[2] + right[2] * x];
    if (level) {
      const tick = roundStep(App.height / 3);
      stage.line([at(Math.min(0, App.low)), at(Math.max(top, 0))], color('mid'), 1);
      for (let i = Math.ceil(App.low / tick - 1e-9); i * tick <= top + 1e-9; ++i) {
        stage.line([at(i * tick), at(i * tick, 0.02 * App.height)], color('mid'), 1);
        stage.word(at(i * tick), lengthOf(i * tick), color('mid'), -46, 3, '10px sans-serif');
      }
    }
    const size = App.size * 0.14, sides = sidesOf(App.figures[0].convention), from = [foot[0], 0, foot[2]];
    for (const [what, way, axis, ink] of [['left', [1, 0, 0], sides.left, 'mid'], ['up', [0, 1, 0], sides.up, 'good'], ['front', [0, 0, 1], sides.front, 'warm']]) {
      const end = from.map((x, i) => x + size * way[i]);
      stage.line([from, end], color(ink), 3);
      stage.label(end, nameOfAxis(axis) + ' ' + what, color(ink), true, 'bold 11px sans-serif');
    }
  },
};
