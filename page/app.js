// The page: what is chosen, time, panels.
'use strict';

const el = (tag, attributes = {}, ...inside) => {
  const out = document.createElement(tag);
  for (const [k, v] of Object.entries(attributes)) {
    if (k.startsWith('on')) out[k] = v;
    else if (k.startsWith('aria-')) { if (v !== undefined) out.setAttribute(k, String(v)); }
    else if (v !== undefined && v !== false) out.setAttribute(k, v === true ? '' : v);
  }
  out.append(...inside.filter((x) => x !== undefined && x !== null));
  return out;
};
const byId = (id) => document.getElementById(id);
const color = (name) => getComputedStyle(document.documentElement).getPropertyValue('--' + name).trim();
const short = (x, digits = 4) => (typeof x === 'number' ? String(Number(x.toPrecision(digits))) : String(x));

const App = {
  facts: JSON.parse(byId('page-facts').textContent),
  files: new Map(),
  figures: [],
  clip: null,
  seconds: 0, rounds: 0, playing: false, speed: 1, mode: 'on',
  shown: { skin: true, bones: true, names: false, axes: false, wire: false, path: true, ends: false, grid: true, contacts: true, source: true, apart: false },
  chosen: new Set(),
  tab: 'facts',
  curve: 'place', order: 'XYZ',
  drawn: 0, left: 0, errors: [],
};
window.addEventListener('error', (e) => App.errors.push(e.message));

// ---- what is in the page

/** A file of the page; null for one that lies beside it and is still being loaded. */
function fileOf(id) {
  if (!App.files.has(id) && App.facts.linked) {
    Linked.load(id).then(() => { App.paths = null; panel(); changed(); });
    return null;
  }
  if (!App.files.has(id)) App.files.set(id, new Glb.File(Glb.bytesOf(byId(id).textContent)));
  return App.files.get(id);
}

function load() {
  App.figures = App.facts.figures.map((f) => {
    const figure = new Figure(f.name, fileOf(f.skin), f.manifest || null);
    figure.findings = f.findings || [];
    figure.given = f.clips;
    figure.sourceJoints = f.source_joints || [];
    return figure;
  });
}

/** A clip of a figure; its file is opened when it is first asked for. */
function clipOf(figure, name) {
  const known = figure.clips.find((c) => c.name === name);
  if (known) return known;
  const given = figure.given.find((c) => c.name === name);
  if (!given) return null;
  const facts = figure.manifest && figure.manifest.clips.find((c) => c.name === name);
  const file = fileOf(given.data);
  if (!file) return null;
  const clip = new Clip(name, file, given.animation, facts || null);
  if (given.source) clip.source = new Float32Array(Glb.bytesOf(given.source).buffer);
  figure.clips.push(clip);
  return clip;
}

const names = () => [...new Set(App.figures.flatMap((f) => f.given.map((c) => c.name)))];

/** Where a figure is at a time of a clip, after some rounds of its loop. */
function poseOf(figure, clip, seconds, rounds = 0, place = [0, 0, 0]) {
  const worlds = figure.worlds(clip, seconds);
  let page = figure.page;
  const step = clip && rounds ? figure.step(clip) : null;
  for (let n = 0; step && n < rounds; ++n) page = Glb.product(page, step);
  const put = keepsTravel(clip) ? travelled(figure, clip, seconds) : null;
  if (put) page = Glb.product(page, put);
  page = Float64Array.from(page);
  place.forEach((x, i) => { page[9 + i] += x; });
  return { worlds, page, weights: (node) => figure.weights(node, clip, seconds) };
}

/** Whether a clip keeps its travel in channels, its root standing still. */
const keepsTravel = (clip) => Boolean(clip && clip.facts && clip.facts.travel && clip.facts.travel.channels);

/** Travel that is kept in channels, as a matrix over the world; an open loop goes over into its next round. */
function travelled(figure, clip, seconds) {
  const at = clip.begin + seconds;
  if (at <= clip.last || clip.loop !== 'open') return keptTravel(figure, clip, at);
  const last = keptTravel(figure, clip, clip.last), step = figure.step(clip), first = keptTravel(figure, clip, clip.begin);
  const next = step ? Glb.product(step, first) : first, past = Math.min(1, (at - clip.last) * clip.rate);
  return Glb.compose([9, 10, 11].map((i) => last[i] + (next[i] - last[i]) * past), Glb.slerp(figure.quaternion(last), figure.quaternion(next), past), [1, 1, 1]);
}

/** The same at a time at which the channels stand. */
function keptTravel(figure, clip, at) {
  const get = (name) => {
    const s = clip.scalars().find((c) => c.name === name);
    return s ? Glb.sample(clip.file, s.sampler, at)[0] : 0;
  };
  const { up, front, left } = sidesOf(figure.convention), m = figure.convention.metres_per_unit;
  const parts = [get('travel.left'), get('travel.up'), get('travel.ahead')];
  // In axes of another hand a turn to the left counts the other way.
  const half = (get('travel.turn') * (figure.convention.hand === 'left' ? -1 : 1) * Math.PI) / 360;
  const t = [0, 1, 2].map((i) => (parts[0] * left[i] + parts[1] * up[i] + parts[2] * front[i]) / m);
  return Glb.compose(t, [...up.map((x) => x * Math.sin(half)), Math.cos(half)], [1, 1, 1]);
}

const placeOn = (pose, node) => Glb.point(pose.page, Array.from(pose.worlds[node].subarray(9)));

// ---- time

const current = () => App.figures.map((f) => (App.clip ? clipOf(f, App.clip) : null));
const leader = () => current().find(Boolean) || null;
/** The first figure that has the clip. */
const lead = () => App.figures.find((f) => App.clip && clipOf(f, App.clip)) || App.figures[0];
const sampleAt = (clip) => Math.min(clip.samples - 1, Math.round(App.seconds * clip.rate * 1e6) / 1e6);

function select(name, seconds = 0) {
  App.clip = name;
  App.seconds = seconds; App.rounds = 0; App.left = 0; App.drawn = 0;
  App.paths = null;
  for (const li of byId('clips').children) li.setAttribute('aria-selected', li.dataset.name === name);
  const chosen = [...byId('clips').children].find((li) => li.dataset.name === name);
  if (chosen) chosen.scrollIntoView({ block: 'nearest' });
  panel();
  changed();
}

function seek(seconds) {
  const clip = leader();
  App.seconds = Math.max(0, Math.min(clip ? clip.seconds : 0, seconds));
  changed();
}

function changed() { App.stage.stale = true; }

function advance(by) {
  if (States.on) { States.advance(by * App.speed); return; }
  const clip = leader();
  if (!clip || clip.seconds <= 0) return;
  const before = Math.floor(App.seconds * clip.rate + 1e-6);
  App.seconds += by * App.speed;
  const now = Math.floor(App.seconds * clip.rate + 1e-6);
  if (by * App.speed > 0) App.left += Math.max(0, now - before - 1);
  if (App.seconds < clip.seconds && App.seconds >= 0) return;
  if (App.mode === 'once') {
    App.seconds = App.seconds < 0 ? 0 : clip.seconds;
    play(false);
  } else if (App.mode === 'next') {
    const all = names();
    select(all[(all.indexOf(App.clip) + 1) % all.length]);
  } else {
    const rounds = Math.floor(App.seconds / clip.seconds);
    App.seconds -= rounds * clip.seconds;
    App.rounds = App.mode === 'on' ? Math.max(0, App.rounds + rounds) : 0;
  }
}

function play(on) {
  App.playing = on;
  byId('play').textContent = on ? 'pause' : 'play';
  byId('play').setAttribute('aria-pressed', on);
}

function step(by) {
  const clip = leader();
  if (!clip) return;
  States.off();
  play(false);
  seek((Math.round(App.seconds * clip.rate) + by) / clip.rate);
}

// ---- drawing

function paths() {
  if (App.paths) return App.paths;
  App.paths = App.figures.map((figure, i) => {
    const clip = clipOf(figure, App.clip);
    if (!clip) return { root: [], trails: new Map() };
    const most = 400, every = Math.max(1, Math.ceil(clip.samples / most));
    const root = [], trails = new Map([...App.chosen].map((name) => [name, []]));
    for (let k = 0; k < clip.samples; k += every) {
      const pose = poseOf(figure, clip, k / clip.rate, 0, App.stage.actors[i].place);
      root.push(placeOn(pose, figure.joints[0]));
      for (const [name, list] of trails) {
        const node = figure.names.indexOf(name);
        if (node >= 0) list.push(placeOn(pose, node));
      }
    }
    return { root, trails };
  });
  return App.paths;
}

function overlay(stage) {
  const { shown } = App;
  App.figures.forEach((figure, i) => {
    if (figure.hidden) return;
    const clip = clipOf(figure, App.clip), pose = App.poses[i];
    if (shown.path && States.on && !i) {
      stage.line(States.machine.trail, color('ink'), 2);
    } else if (shown.path && clip) {
      const { root, trails } = paths()[i];
      stage.line(root, color('ink'), 2);
      for (const list of trails.values()) stage.line(list, color('warm'), 1.5, [5, 3]);
    }
    if (shown.ends && clip && !States.on) {
      bones(stage, figure, poseOf(figure, clip, 0, 0, stage.actors[i].place), color('mid'), [2, 3]);
      const last = poseOf(figure, clip, (clip.samples - 1) / clip.rate, 0, stage.actors[i].place);
      bones(stage, figure, last, color('ghost'), [6, 3]);
    }
    if (shown.bones) bones(stage, figure, pose, color('bone'));
    if (shown.source && clip && clip.source) Source.draw(stage, figure, clip, App.seconds, shown.apart ? [0.9 * App.wide + 0.2 * App.height, 0, 0] : [0, 0, 0]);
    for (const joint of figure.joints) {
      const p = placeOn(pose, joint), picked = App.chosen.has(figure.names[joint]);
      if (picked) stage.dot(p, color('warm'), 4);
      if (shown.names || picked) stage.word(p, figure.names[joint], picked ? color('warm') : color('ink'));
      if (shown.axes) axes(stage, figure, pose, joint);
    }
    if (App.figures.length > 1) {
      const p = placeOn(pose, figure.joints[0]);
      stage.word([p[0], -0.05, p[2]], figure.name, color('ink'), -20, 16, 'bold 12px sans-serif');
    }
    measured(stage, figure, pose);
  });
}

/** Metres between two points as they are said: 0.532 m, 12.4 mm. */
const lengthOf = (m) => (m && m < 0.1 ? short(1000 * m, 3) + ' mm' : short(m, 4) + ' m');
const between = (a, b) => Math.hypot(...a.map((x, c) => x - b[c]));

/** How far two chosen joints are from each other. */
function measured(stage, figure, pose) {
  const [a, b, more] = figure.joints.filter((j) => App.chosen.has(figure.names[j])).map((j) => placeOn(pose, j));
  if (!b || more) return;
  stage.line([a, b], color('strong'), 1, [2, 2]);
  stage.word(a.map((x, c) => (x + b[c]) / 2), lengthOf(between(a, b)), color('strong'), 6, 4, 'bold 11px sans-serif');
}

function bones(stage, figure, pose, ink, dash = []) {
  for (const joint of figure.joints) {
    const up = figure.jointAbove(joint);
    if (up >= 0) stage.line([placeOn(pose, up), placeOn(pose, joint)], ink, 2, dash);
    if (!dash.length) stage.dot(placeOn(pose, joint), ink, 2);
  }
}

function axes(stage, figure, pose, joint) {
  const m = Glb.product(pose.page, pose.worlds[joint]), o = [m[9], m[10], m[11]], size = App.height * 0.04;
  [['X', [], 'warm'], ['Y', [4, 2], 'good'], ['Z', [1, 2], 'strong']].forEach(([name, dash, ink], c) => {
    const d = [m[3 * c], m[3 * c + 1], m[3 * c + 2]], n = Math.hypot(...d) || 1, end = o.map((x, i) => x + (d[i] / n) * size);
    stage.line([o, end], color(ink), 1.5, dash);
    if (App.chosen.has(figure.names[joint])) stage.word(end, name, color(ink), 1, 3);
  });
}

/** Metre grid, ruler, and the axes of the first figure's files with their names. */
function ground(stage) {
  const reach = App.reach, every = App.height < 0.5 ? 0.1 : App.height > 8 ? 10 : 1;
  const from = Math.floor(-reach / every) * every, to = -from, ink = color('grid');
  let before = null;
  for (let x = from; x <= to + 1e-9; x += every) {
    stage.line([[x, 0, from], [x, 0, to]], ink, Math.abs(x) < 1e-9 ? 1.6 : 0.7);
    stage.line([[from, 0, x], [to, 0, x]], ink, Math.abs(x) < 1e-9 ? 1.6 : 0.7);
    const at = stage.project([0, 0, x]);
    if (Math.abs(x) < 1e-9 || !at || (before && Math.hypot(at[0] - before[0], at[1] - before[1]) < 34)) continue;
    stage.word([0, 0, x], short(x) + ' m', color('mid'), 3, 10, '10px sans-serif');
    before = at;
  }
  // Heights stand on a ruler beside the figure.
  const top = App.low + App.height, tick = [0.01, 0.05, 0.1, 0.5, 1, 5, 10, 50].find((s) => (top - App.low) / s <= 5) || 100;
  const foot = [0.6 * App.wide, 0, -0.3 * App.height], at = (y, x = 0) => [foot[0] + x, y, foot[2]];
  stage.line([at(Math.min(0, App.low)), at(Math.max(top, 0))], color('mid'), 1);
  for (let i = Math.ceil(App.low / tick); i * tick <= top + 1e-9; ++i) {
    stage.line([at(i * tick), at(i * tick, 0.02 * App.height)], color('mid'), 1);
    stage.word(at(i * tick), lengthOf(i * tick), color('mid'), -40, 3, '10px sans-serif');
  }
  const size = every / 2, sides = sidesOf(App.figures[0].convention);
  for (const [what, end, axis, ink2] of [['left', [size, 0, 0], sides.left, 'mid'], ['up', [0, size, 0], sides.up, 'good'], ['front', [0, 0, size], sides.front, 'warm']]) {
    stage.line([[0, 0, 0], end], color(ink2), 3);
    stage.word(end, nameOfAxis(axis) + ' ' + what, color(ink2), 5, 4, 'bold 11px sans-serif');
  }
}

// ---- the time line

function drawLine() {
  const canvas = byId('line'), c = canvas.getContext('2d'), ratio = window.devicePixelRatio || 1;
  const w = canvas.clientWidth, h = 64, clip = leader();
  if (canvas.width !== w * ratio) { canvas.width = w * ratio; canvas.height = h * ratio; }
  c.setTransform(ratio, 0, 0, ratio, 0, 0);
  c.clearRect(0, 0, w, h);
  byId('now').textContent = '';
  if (!clip) { if (App.clip) byId('now').textContent = 'loading'; return; }
  const x = (seconds) => 8 + ((w - 16) * seconds) / Math.max(clip.seconds, 1e-9);
  c.fillStyle = color('panel'); c.fillRect(8, 30, w - 16, 16);
  c.font = '10px sans-serif';
  const every = [1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 1500, 6000].find((n) => (w - 16) / (clip.seconds * clip.rate / n) > 34) || 30000;
  for (let k = 0; k <= clip.seconds * clip.rate + 1e-6; k += every) {
    c.fillStyle = color('line'); c.fillRect(x(k / clip.rate), 30, 1, 16);
    c.fillStyle = color('mid'); c.textAlign = 'center'; c.fillText(String(k), Math.min(x(k / clip.rate), w - c.measureText(String(k)).width / 2), 58); c.textAlign = 'left';
  }
  const facts = clip.facts || {};
  if (App.shown.contacts && facts.motion)
    (facts.motion.feet || []).forEach((foot, row) => {
      c.fillStyle = color(row % 2 ? 'warm' : 'good');
      for (const t of foot.contacts) c.fillRect(x(t.first_sample / clip.rate), 32 + 7 * (row % 2), Math.max(2, x(t.last_sample / clip.rate) - x(t.first_sample / clip.rate)), 5);
    });
  for (const part of facts.made_of || []) {
    c.strokeStyle = color('mid'); c.setLineDash([3, 2]);
    c.beginPath(); c.moveTo(x(part.first_sample / clip.rate), 0); c.lineTo(x(part.first_sample / clip.rate), 46); c.stroke(); c.setLineDash([]);
    c.fillStyle = color('mid'); c.fillText(part.name, x(part.first_sample / clip.rate) + 3, 9);
  }
  let free = -1e9;
  for (const cue of facts.cues || []) {
    const at = x(cue.seconds);
    c.fillStyle = color('ink');
    c.beginPath(); c.moveTo(at, 30); c.lineTo(at - 4, 23); c.lineTo(at + 4, 23); c.fill();
    if (cue.until) c.fillRect(at, 26, x(cue.until) - at, 2);
    if (at > free) { c.fillText(cue.name, at + 5, 21); free = at + 10 + c.measureText(cue.name).width; }
  }
  c.fillStyle = color('strong'); c.fillRect(x(App.seconds) - 1, 12, 3, 38);
  canvas.setAttribute('aria-valuenow', short(App.seconds));
  canvas.setAttribute('aria-valuemax', short(clip.seconds));
  const source = facts.source;
  const frame = source && source.rate && !facts.made_of && !source.shaped ? source.first + App.seconds * Number(source.rate.split('/')[0]) / Number(source.rate.split('/')[1] || 1) : null;
  byId('now').textContent = `sample ${short(sampleAt(clip), 6)} of ${clip.samples - 1}   ${App.seconds.toFixed(3)} s` + (frame === null ? '' : `   source frame ${short(frame, 6)}`) + (App.rounds ? `   round ${App.rounds + 1}` : '');
  byId('shown').textContent = App.playing ? `${short(App.perSecond || 0, 3)} pictures a second, ${App.left} samples not shown` : '';
}

// ---- panels

function rows(list) {
  return el('table', {}, ...list.filter((r) => r[1] !== undefined && r[1] !== '').map(([a, b]) => el('tr', {}, el('td', {}, a), el('td', {}, b instanceof Node ? b : short(b)))));
}

const PANELS = {
  facts() {
    const clip = leader(), f = (clip && clip.facts) || {}, t = f.travel || {}, p = f.proof || {}, figure = lead(), m = figure.manifest || {};
    const worst = p.joint_position_mm || {}, c = figure.convention;
    const jump = worst.sample === undefined ? undefined : el('button', { onclick: () => { play(false); seek(worst.sample / clip.rate); pick(worst.at, true); } }, `sample ${worst.sample}, ${worst.at}`);
    const sum = (figure.file.json.meshes || []).flatMap((x) => x.primitives).map((q) => figure.file.accessor(q.attributes.POSITION).count);
    return [
      el('h2', {}, 'clip'),
      clip ? rows([['name', clip.name], ['samples', clip.samples], ['seconds', clip.seconds], ['rate', clip.rate + ' per second'], ['loop', clip.loop], ['from', f.source && `${f.source.first} to ${f.source.last} of ${f.source.timeline}`], ['group', f.group], ['file', f.file], ['bytes', f.bytes]]) : 'no motion: the rest pose',
      t.path_m !== undefined ? el('h2', {}, 'travel' + (t.channels ? ', as channels' : '')) : null,
      t.path_m !== undefined ? rows([['on the root', ['ground', 'height', 'heading'].filter((k) => t[k]).join(', ') || 'nothing'], ['way', short(t.path_m) + ' m'], ['speed', short(t.speed_m_s) + ' m/s'], ['height', short(t.height_change_m) + ' m'], ['heading', short(t.heading_change_degrees) + ' degrees']]) : null,
      p.samples ? el('h2', {}, 'proof, against the rig') : null,
      p.samples ? rows([['joints', short(worst.worst, 3) + ' mm at most'], ['there', jump], ['turns', p.joint_rotation_degrees && short(p.joint_rotation_degrees.worst, 3) + ' degrees'], ['vertices', p.skinned_vertex_mm && short(p.skinned_vertex_mm.worst, 3) + ' mm']]) : null,
      f.motion && f.motion.feet ? el('h2', {}, 'feet') : null,
      ...((f.motion && f.motion.feet) || []).map((x) => rows([[x.joint, `slides ${x.slide_mm.toFixed(1)} mm, ${x.depth_mm.toFixed(1)} mm deep`]])),
      el('h2', {}, 'figure'),
      rows([['joints', figure.joints.length], ['vertices', sum.reduce((a, b) => a + b, 0)], ['height', m.skin && short(m.skin.height_m) + ' m'], ['axes', `${c.up} up, ${c.front} front, ${c.hand}-handed`], ['unit', c.metres_per_unit + ' m'], ['bytes', m.skin && m.skin.bytes], ['target', m.target && m.target.name]]),
    ];
  },
  joints() {
    const figure = lead(), deep = (j) => { let n = 0; for (let up = figure.jointAbove(j); up >= 0; up = figure.jointAbove(up)) ++n; return n; };
    return [
      el('p', {}, 'Chosen joints leave a trail, are named, and have curves; between two of them the distance stands on the stage.'),
      ...figure.joints.map((j) => el('div', { style: `padding-left:${10 * deep(j)}px` },
        el('label', {}, el('input', { type: 'checkbox', checked: App.chosen.has(figure.names[j]), onchange: (e) => pick(figure.names[j], e.target.checked) }), ' ' + figure.names[j]))),
    ];
  },
  states() { return States.panel(); },
  curves() { return Curves.panel(); },
  source() { return Source.panel(); },
  findings() {
    const all = App.figures.flatMap((f) => f.findings);
    if (!all.length) return [el('p', {}, 'Nothing was found.')];
    return all.map((f) => el('div', { class: 'find ' + f.severity, tabindex: 0, onclick: () => go(f), onkeydown: (e) => e.key === 'Enter' && go(f) }, `${f.severity}: ${f.code}`, el('div', {}, f.where), el('div', {}, f.found), f.remedy ? el('code', {}, f.remedy) : null));
  },
};

/** To the clip and sample that a finding names. */
function go(finding) {
  const text = finding.where + ' ' + finding.found, clip = names().find((n) => text.includes(`"${n}"`)), at = /sample (\d+)/.exec(text);
  if (clip) select(clip);
  const there = () => { play(false); seek(Number(at[1]) / leader().rate); };
  if (at && leader()) there();
  else if (at && clip) Linked.load(App.figures.flatMap((f) => f.given).find((c) => c.name === clip).data).then(there);
}

function pick(name, on) {
  if (on) App.chosen.add(name); else App.chosen.delete(name);
  App.paths = null;
  if (App.tab !== 'joints') panel();
  changed();
}

function panel() {
  const tabs = Object.keys(PANELS).filter((name) => (name !== 'states' || States.machine) && (name !== 'source' || App.figures.some((f) => f.sourceJoints.length)));
  byId('tabs').replaceChildren(...tabs.map((name) => el('button', { role: 'tab', 'aria-pressed': App.tab === name, onclick: () => { App.tab = name; panel(); } }, name)));
  byId('panel').replaceChildren(...PANELS[App.tab]().filter(Boolean));
  if (App.tab === 'curves' || App.tab === 'source') Curves.draw();
}

function list() {
  const words = byId('search').value.toLowerCase().split(/\s+/).filter(Boolean);
  const fits = names().filter((n) => words.every((w) => n.toLowerCase().includes(w)));
  const facts = new Map(App.figures.flatMap((f) => (f.manifest ? f.manifest.clips : [])).map((c) => [c.name, c]));
  byId('clips').replaceChildren(...fits.map((name) => {
    const f = facts.get(name);
    return el('li', { role: 'option', 'data-name': name, 'aria-selected': name === App.clip, onclick: () => { States.off(); select(name); } }, name, f ? el('small', {}, `${short(f.seconds)} s, ${f.samples === 1 ? 'a pose' : f.loop === 'once' ? 'once' : 'loop'}`) : null);
  }));
}

// ---- controls

function controls() {
  const toggle = (key, word) => el('button', { 'aria-pressed': App.shown[key], 'data-shown': key, onclick: (e) => { App.shown[key] = !App.shown[key]; e.currentTarget.setAttribute('aria-pressed', App.shown[key]); changed(); } }, word);
  byId('views').append(
    ...['quarter', 'front', 'side', 'top'].map((from) => el('button', { onclick: () => App.stage.look(from) }, from)),
    el('button', { id: 'follow', 'aria-pressed': true, onclick: (e) => { App.follow = !App.follow; e.currentTarget.setAttribute('aria-pressed', App.follow); } }, 'follow'),
    ...(App.figures.some((f) => f.sourceJoints.length) ? [['source', 'source'], ['apart', 'source apart']] : []).map(([k, w]) => toggle(k, w)),
    ...[['skin', 'skin'], ['wire', 'wire'], ['bones', 'skeleton'], ['names', 'names'], ['axes', 'local axes'], ['path', 'root path'], ['ends', 'first and last pose'], ['grid', 'ground']].map(([k, w]) => toggle(k, w)));
  if (App.figures.length > 1)
    byId('views').append(el('span', {}, 'figures: '), ...App.figures.map((f) => el('button', { 'aria-pressed': true, 'data-figure': f.name, onclick: (e) => { f.hidden = !f.hidden; e.currentTarget.setAttribute('aria-pressed', !f.hidden); changed(); } }, f.name)));
  App.follow = true;
  byId('transport').append(
    el('button', { onclick: () => { States.off(); seek(0); }, title: 'Home' }, 'start'), el('button', { onclick: () => step(-1), title: 'left arrow' }, 'back'),
    el('button', { id: 'play', onclick: () => play(!App.playing), title: 'space' }, 'play'), el('button', { onclick: () => step(1), title: 'right arrow' }, 'on'),
    el('label', {}, 'speed ', el('select', { id: 'speed', onchange: (e) => { App.speed = Number(e.target.value); } }, ...[0.1, 0.25, 0.5, 1, 2, 4].map((x) => el('option', { value: x, selected: x === 1 }, x + 'x')))),
    el('label', {}, 'at the end ', el('select', { id: 'mode', onchange: (e) => { App.mode = e.target.value; App.rounds = 0; changed(); } }, el('option', { value: 'on' }, 'again, travel goes on'), el('option', { value: 'back' }, 'again, from the start'), el('option', { value: 'once' }, 'stop'), el('option', { value: 'next' }, 'next clip'))),
    el('output', { id: 'now' }));
  const line = byId('line');
  const at = (e) => { const r = line.getBoundingClientRect(), clip = leader(); if (clip) { States.off(); play(false); seek(((e.clientX - r.left - 8) / (r.width - 16)) * clip.seconds); } };
  line.addEventListener('pointerdown', (e) => { line.setPointerCapture(e.pointerId); at(e); });
  line.addEventListener('pointermove', (e) => { if (e.buttons) at(e); });
  byId('search').addEventListener('input', list);
  byId('dark').onclick = () => { document.documentElement.toggleAttribute('data-dark'); if (App.tab !== 'joints') panel(); changed(); };
  if (window.matchMedia('(prefers-color-scheme: dark)').matches) document.documentElement.toggleAttribute('data-dark');
  document.addEventListener('keydown', (e) => {
    if (e.target.id === 'search') { if (e.key === 'Escape' || e.key === 'Enter') { byId('clips').focus(); e.preventDefault(); } return; }
    if (e.target.tagName === 'SELECT' || (e.key === ' ' && e.target.tagName === 'BUTTON') || e.ctrlKey || e.metaKey || e.altKey) return;
    const all = [...byId('clips').children].map((li) => li.dataset.name), i = all.indexOf(App.clip);
    const keys = {
      ' ': () => play(!App.playing), ArrowLeft: () => step(e.shiftKey ? -10 : -1), ArrowRight: () => step(e.shiftKey ? 10 : 1), Home: () => seek(0), End: () => seek(Infinity),
      ArrowUp: () => all.length && States.off() && select(all[(i + all.length - 1) % all.length]), ArrowDown: () => all.length && States.off() && select(all[(i + 1) % all.length]),
      '/': () => byId('search').focus(), 1: () => App.stage.look('front'), 2: () => App.stage.look('side'), 3: () => App.stage.look('top'), 4: () => App.stage.look('quarter'),
    };
    if (States.key(e.key)) { e.preventDefault(); return; }
    if (keys[e.key]) { keys[e.key](); e.preventDefault(); }
  });
}

// ---- start

function frame(now) {
  const by = App.before === undefined ? 0 : (now - App.before) / 1000;
  App.before = now;
  if (App.playing) advance(by);
  if (App.playing || App.stage.stale) {
    App.stage.stale = false;
    draw();
    if (App.playing) App.perSecond = App.perSecond ? App.perSecond * 0.9 + 0.1 / Math.max(by, 1e-3) : 1 / Math.max(by, 1e-3);
  }
  requestAnimationFrame(frame);
}

function draw() {
  const { stage } = App;
  App.poses = App.figures.map((f, i) => (States.on && !i ? States.machine.pose() : null) || poseOf(f, clipOf(f, App.clip), App.seconds, App.rounds, stage.actors[i].place));
  if (App.follow && App.figures.length === 1) {
    const [figure] = App.figures, root = placeOn(App.poses[0], figure.joints[0]);
    const hips = placeOn(App.poses[0], figure.joints[Math.min(1, figure.joints.length - 1)]);
    stage.target = [hips[0], App.middle + root[1] - App.ground, hips[2]];
  }
  stage.draw(App.poses, App.shown, App.shown.grid ? ground : null, overlay);
  drawLine();
  if (App.tab === 'curves' || App.tab === 'source') Curves.mark();
}

/** How large everything is, from vertices at rest, or joints without any. */
function measure() {
  let low = [Infinity, Infinity, Infinity], high = [-Infinity, -Infinity, -Infinity], wide = 0;
  for (const figure of App.figures) {
    const pose = poseOf(figure, null, 0), own = [[Infinity, Infinity, Infinity], [-Infinity, -Infinity, -Infinity]];
    const add = (p) => p.forEach((x, i) => { own[0][i] = Math.min(own[0][i], x); own[1][i] = Math.max(own[1][i], x); });
    (figure.file.json.nodes || []).forEach((n, i) => {
      if (n.mesh === undefined) return;
      for (const q of figure.file.json.meshes[n.mesh].primitives) {
        const v = figure.vertices(i, q, pose.worlds, []);
        for (let k = 0; k < v.length; k += 3) add(Glb.point(pose.page, [v[k], v[k + 1], v[k + 2]]));
      }
    });
    if (own[0][0] > own[1][0]) for (const j of figure.joints) add(placeOn(pose, j));
    low = low.map((x, i) => Math.min(x, own[0][i])); high = high.map((x, i) => Math.max(x, own[1][i]));
    wide = Math.max(wide, own[1][0] - own[0][0]);
  }
  App.height = Math.max(high[1] - low[1], 1e-3);
  App.low = low[1];
  App.middle = (high[1] + low[1]) / 2;
  App.ground = placeOn(poseOf(App.figures[0], null, 0), App.figures[0].joints[0])[1];
  App.wide = wide;
  const size = Math.max(...high.map((x, i) => x - low[i]));
  App.reach = Math.max(size * 2.5, 3 * (App.height > 8 ? 10 : App.height < 0.5 ? 0.1 : 1));
  return size;
}

function start() {
  load();
  byId('title').textContent = App.facts.title;
  byId('what').textContent = App.facts.what;
  document.title = App.facts.title;
  App.stage = new Stage(byId('stage'));
  const size = measure();
  App.figures.forEach((f, i) => App.stage.add(f, [(i - (App.figures.length - 1) / 2) * -1.3 * App.wide, 0, 0]));
  App.stage.target = [0, App.middle, 0];
  App.stage.distance = size * (App.figures.length > 1 ? 1.2 * App.figures.length : 2.1);
  States.start();
  controls();
  list();
  panel();
  if (names().length) select(names()[0]);
  changed();
  draw();
  new ResizeObserver(draw).observe(byId('stage'));  // before the page is painted: nothing is stretched
  requestAnimationFrame(frame);
  Check.run();
  States.check();
}

/** For tests and for the curious: what the page reads from the files, in their axes and unit. */
window.mellow = {
  /** Places of joints, { joint: [x, y, z] }, at a time from the beginning of a clip, in seconds. */
  places(figure, clip, seconds) {
    const f = App.figures[figure], worlds = f.worlds(clipOf(f, clip), seconds);
    return Object.fromEntries(f.joints.map((j) => [f.names[j], Array.from(worlds[j].subarray(9))]));
  },
  select, seek, play,
  /** A flag is turned over, a signal sent. */
  press: (name) => States.press(name),
  state: () => ({ clip: App.clip, seconds: App.seconds, rounds: App.rounds, playing: App.playing, errors: App.errors, skins: Boolean(App.stage.renderer) }),
};
