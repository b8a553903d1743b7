// The page: what it shows, where figures stand, time.
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
const short = (x, digits = 4) => (typeof x === 'number' ? String(Number((Math.abs(x) < 1e-6 ? 0 : x).toPrecision(digits))) : String(x));

/** What stands behind the address: words (#flat-check) and a moment (clip=walk&sample=12). */
const Address = { words: new Set(), values: {} };
for (const part of location.hash.slice(1).split('&').filter(Boolean)) {
  const [key, ...value] = part.split('=');
  if (value.length) Address.values[key] = decodeURIComponent(value.join('='));
  else key.split('-').forEach((word) => Address.words.add(word));
}

const App = {
  facts: JSON.parse(byId('page-facts').textContent),
  files: new Map(),
  recent: [], mostKept: 24,  // clips whose files are open, the latest last
  figures: [],
  clip: null,
  seconds: 0, rounds: 0, playing: false, speed: 1, mode: 'on', follow: true,
  shown: { skin: true, bones: true, names: false, axes: false, wire: false, path: true, ends: false, grid: true, source: true, apart: false },
  chosen: new Set(),
  tab: 'facts',
  curve: 'place', order: 'XYZ',
  drawn: 0, left: 0, errors: [],
};

/** What went wrong is said on the page: nobody looks for it elsewhere. */
function trouble(text) {
  App.errors.push(text);
  byId('trouble').textContent = text;
}
window.addEventListener('error', (e) => trouble(`This page stumbled: ${e.message}`));

// ---- what is in the page

/** A file of the page; null for one that lies beside it and is still being loaded. */
function fileOf(id) {
  if (!App.files.has(id) && App.facts.linked) {
    Linked.load(id).then(() => { App.paths = null; refresh(); changed(); });
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
  if (known) {
    App.recent.push(...App.recent.splice(App.recent.findIndex((r) => r.clip === known), 1));
    return known;
  }
  const given = figure.given.find((c) => c.name === name);
  if (!given) return null;
  const facts = figure.manifest && figure.manifest.clips.find((c) => c.name === name);
  const file = fileOf(given.data);
  if (!file) return null;
  const clip = new Clip(name, file, given.animation, facts || null);
  if (given.source) clip.source = new Float32Array(Glb.bytesOf(given.source).buffer);
  figure.clips.push(clip);
  App.recent.push({ figure, clip, id: given.data });
  forget();
  return clip;
}

/** Lets go of clips that were not shown for long; they are opened again when they are asked for. */
function forget() {
  while (!App.facts.states && App.recent.length > Math.max(App.mostKept, 2 * App.figures.length)) {
    const { figure, clip, id } = App.recent.shift();
    figure.clips = figure.clips.filter((c) => c !== clip);
    if (App.recent.some((r) => r.id === id) || App.facts.figures.some((f) => f.skin === id)) continue;
    App.files.delete(id);
    if (App.facts.linked) Linked.waiting.delete(id);
  }
}

const names = () => [...new Set(App.figures.flatMap((f) => f.given.map((c) => c.name)))];

// ---- where figures stand

/** Where a figure is at a time of a clip, after some rounds of its loop; of a fraction -1 a round before. */
function poseOf(figure, clip, seconds, rounds = 0, place = [0, 0, 0]) {
  const worlds = figure.worlds(clip, seconds);
  let page = pageAfter(figure, clip, rounds, place);
  const put = keepsTravel(clip) ? travelled(figure, clip, seconds) : null;
  if (put) page = Glb.product(page, put);
  return { worlds, page, weights: (node) => figure.weights(node, clip, seconds) };
}

/** From a figure's files to the page, some rounds later (or one earlier: -1). */
function pageAfter(figure, clip, rounds, place = [0, 0, 0]) {
  let page = figure.page;
  const step = clip && rounds ? figure.step(clip) : null, by = step && rounds < 0 ? Glb.inverse(step) : step;
  for (let n = 0; by && n < Math.abs(rounds); ++n) page = Glb.product(page, by);
  page = Float64Array.from(page);
  place.forEach((x, i) => { page[9 + i] += x; });
  return page;
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
/** Where a figure is as a whole: its root, or the origin of one without nodes. */
const rootOf = (figure) => (figure.joints.length ? figure.joints[0] : figure.order[0]);
const rootOn = (figure, pose) => (rootOf(figure) === undefined ? Glb.point(pose.page, [0, 0, 0]) : placeOn(pose, rootOf(figure)));
/** What the camera follows: the hips below a root, or what stands for both. */
function hipsOn(figure, pose) {
  return figure.joints.length > 1 ? placeOn(pose, figure.joints[1]) : rootOn(figure, pose);
}

// ---- time

/** The first figure that has the clip, of those that are shown if any are. */
const lead = () => {
  const having = App.figures.filter((f) => App.clip && f.given.some((c) => c.name === App.clip));
  return having.find((f) => !f.hidden) || having[0] || App.figures[0];
};
const leader = () => (App.clip ? clipOf(lead(), App.clip) : null);
const sampleAt = (clip) => Math.min(clip.samples - 1, Math.round(App.seconds * clip.rate * 1e6) / 1e6);

function select(name, seconds = 0) {
  App.clip = name;
  App.seconds = seconds; App.rounds = 0; App.left = 0; App.drawn = 0;
  App.paths = null;
  Line.whole();
  markClip();
  refresh();
  remember();
  changed();
}

function seek(seconds) {
  const clip = leader();
  App.seconds = Math.max(0, Math.min(clip ? clip.seconds : 0, seconds));
  remember();
  changed();
}

/** To a sample: what is scrubbed or stepped lands on one. */
function seekSample(k) {
  const clip = leader();
  if (clip) seek(Math.max(0, Math.min(clip.samples - 1, Math.round(k))) / clip.rate);
}

/** Draws once, soon; while nothing changes the page does nothing. */
function changed() {
  if (App.scheduled) return;
  App.scheduled = true;
  requestAnimationFrame(frame);
}

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
    const all = hits().length ? hits() : names();
    select(all[(all.indexOf(App.clip) + 1) % all.length]);
  } else {
    const rounds = Math.floor(App.seconds / clip.seconds);
    App.seconds -= rounds * clip.seconds;
    App.rounds = App.mode === 'on' ? Math.max(0, App.rounds + rounds) : 0;
  }
}

function play(on) {
  const clip = leader();
  if (on && !States.on && App.mode === 'once' && clip && App.seconds >= clip.seconds - 1e-9) App.seconds = 0;
  App.playing = on;
  App.before = undefined;
  byId('play').textContent = on ? 'pause' : 'play';
  if (!on) remember();
  changed();
}

function step(by) {
  const clip = leader();
  if (!clip) return;
  States.off();
  play(false);
  const at = sampleAt(clip);
  seekSample((by < 0 ? Math.ceil(at - 1e-6) : Math.floor(at + 1e-6)) + by);
}

/** The moment stands in the address: it can be kept, sent, and comes back when the page is loaded again. */
function remember() {
  const clip = leader();
  if (App.playing || !App.started) return;
  const values = { clip: App.clip, sample: clip ? short(sampleAt(clip), 6) : undefined, tab: App.tab, joints: [...App.chosen].join(',') || undefined, light: document.documentElement.dataset.light };
  const parts = [[...Address.words].join('-'), ...Object.entries(values).filter(([, v]) => v !== undefined && v !== null).map(([k, v]) => `${k}=${encodeURIComponent(v)}`)];
  history.replaceState(null, '', '#' + parts.filter(Boolean).join('&'));
}

function recall() {
  const { clip, sample, tab, joints, light } = Address.values;
  if (joints) joints.split(',').forEach((name) => App.chosen.add(name));
  if (tab && tabs().includes(tab)) App.tab = tab;
  if (light) document.documentElement.dataset.light = light;
  if (clip === undefined || !names().includes(clip)) return false;
  States.off();
  select(clip);
  if (leader() && Number(sample) > 0) seek(Number(sample) / leader().rate);
  return true;
}

// ---- start

function frame(now) {
  const by = App.before === undefined ? 0 : (now - App.before) / 1000;
  App.scheduled = false;
  if (App.playing) { App.before = now; advance(by); }
  draw();
  if (!App.playing) return;
  if (by) App.perSecond = App.perSecond ? App.perSecond * 0.9 + 0.1 / Math.max(by, 1e-3) : 1 / Math.max(by, 1e-3);
  changed();
}

function draw() {
  const { stage } = App;
  if (App.unmeasured && (leader() || !App.clip)) measure();
  App.poses = App.figures.map((f, i) => (States.on && !i ? States.machine.pose() : null) || poseOf(f, clipOf(f, App.clip), App.seconds, App.rounds, stage.actors[i].place));
  if (App.follow) stage.target = followed(App.poses);
  stage.draw(App.poses, App.shown, App.shown.grid ? Paint.ground : null, Paint.overlay);
  Line.draw();
  States.refresh();
  if (App.tab === 'curves' || App.tab === 'source') Curves.mark();
}

/** In the middle of the figures that are shown. Heights are followed when they leave the middle tenth. */
function followed(poses) {
  const all = App.figures.map((f, i) => [f, poses[i]]).filter(([f]) => !f.hidden);
  if (!all.length) return App.stage.target;
  const mean = (get) => all.reduce((sum, [f, pose]) => sum + get(f, pose), 0) / all.length;
  const rise = mean((f, pose) => rootOn(f, pose)[1]) - App.ground, free = App.height / 20;
  return [mean((f, pose) => hipsOn(f, pose)[0]), App.middle + Math.sign(rise) * Math.max(0, Math.abs(rise) - free), mean((f, pose) => hipsOn(f, pose)[2])];
}

/** How large everything is: vertices of the first pose, and joints all through the clip, about what is followed. */
function measure() {
  const low = [Infinity, Infinity, Infinity], high = [-Infinity, -Infinity, -Infinity];
  let wide = 0;
  App.figures.forEach((figure) => {
    const clip = clipOf(figure, App.clip), first = poseOf(figure, clip, 0), from = hipsOn(figure, first), own = [[...low].fill(Infinity), [...high].fill(-Infinity)];
    const add = (p) => p.forEach((x, i) => { own[0][i] = Math.min(own[0][i], x); own[1][i] = Math.max(own[1][i], x); });
    (figure.file.json.nodes || []).forEach((n, i) => {
      if (n.mesh === undefined) return;
      for (const q of figure.file.json.meshes[n.mesh].primitives) {
        const v = figure.vertices(i, q, first.worlds, figure.weights(i, clip, 0));
        for (let k = 0; k < v.length; k += 3) add(Glb.point(first.page, [v[k], v[k + 1], v[k + 2]]));
      }
    });
    for (let k = 0; k < (clip ? 12 : 1); ++k) {
      const pose = k ? poseOf(figure, clip, (clip.seconds * k) / 12) : first, at = hipsOn(figure, pose), rise = rootOn(figure, pose)[1] - rootOn(figure, first)[1];
      figure.joints.forEach((j) => add(placeOn(pose, j).map((x, i) => (i === 1 ? x - rise : x - at[i] + from[i]))));
    }
    if (own[0][0] > own[1][0]) add([0, 0, 0]);
    own[0].forEach((x, i) => { low[i] = Math.min(low[i], x); high[i] = Math.max(high[i], own[1][i]); });
    wide = Math.max(wide, own[1][0] - own[0][0], 0.6 * (own[1][2] - own[0][2]));
  });
  App.height = Math.max(high[1] - low[1], 1e-3);
  App.low = low[1];
  App.middle = (high[1] + low[1]) / 2;
  App.wide = Math.max(wide, 0.2 * App.height);
  App.size = Math.max(...high.map((x, i) => x - low[i]), 1e-3);
  App.figures.forEach((f, i) => { App.stage.actors[i].place[0] = (i - (App.figures.length - 1) / 2) * -1.3 * App.wide; });
  const clip = clipOf(App.figures[0], App.clip);
  App.ground = rootOn(App.figures[0], poseOf(App.figures[0], clip, 0))[1];
  App.paths = null;
  App.unmeasured = false;
  App.stage.size = App.size;
  App.stage.home(App.size * (App.figures.length > 1 ? 1.2 * App.figures.length : 2.1));
}

function start() {
  load();
  byId('title').textContent = App.facts.title;
  byId('what').textContent = App.facts.what;
  document.title = App.facts.title;
  App.stage = new Stage(byId('stage'), changed);
  App.figures.forEach((f) => App.stage.add(f, [0, 0, 0]));
  App.unmeasured = true;
  States.start();
  controls();
  Line.start();
  list();
  if (!recall() && names().length) select(names()[0]);
  if (!names().length) measure();
  panel();
  draw();
  new ResizeObserver(draw).observe(byId('stage'));  // before the page is painted: nothing is stretched
  App.started = true;
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
