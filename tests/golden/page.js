// What a page shows: every clip at a moment in its middle, every panel, every view and switch, states that are played.
// Of what is drawn: how often each kind of line, dot and word in each colour, and sums of their places
// in which those that follow each other have shares of their own.
const out = [], tell = (...lines) => out.push(...lines);
let log = {};
const paper = CanvasRenderingContext2D.prototype;
for (const kind of ['moveTo', 'lineTo', 'arc', 'rect', 'fillRect', 'strokeRect', 'fillText', 'quadraticCurveTo', 'bezierCurveTo']) {
  const before = paper[kind];
  paper[kind] = function (...all) {
    const numbers = all.filter((x) => typeof x === 'number'), words = all.filter((x) => typeof x === 'string');
    const ink = kind.startsWith('fill') ? this.fillStyle : this.strokeStyle;
    const key = [this.canvas.id || this.canvas.parentNode?.id || 'canvas', kind, typeof ink === 'string' ? ink : '', this.lineWidth.toFixed(1)].join(' ');
    const seen = (log[key] ||= { count: 0, sums: [0, 0, 0, 0], words: new Set() });
    seen.count += 1;
    words.forEach((word) => seen.words.add(word));
    numbers.slice(0, 4).forEach((x, i) => { seen.sums[i] += x * (1 + seen.count % 7); });
    return before.apply(this, all);
  };
}
const drawn = (act) => {
  act();
  log = {};
  draw();
  return Object.entries(log).sort().map(([key, { count, sums, words }]) => `    ${key}: ${count} times, ${sums.map((x) => x.toFixed(1)).join(' ')} ${[...words].join(' | ')}`);
};
/** Places of all joints: where the first and the last are, and a sum in which each has a share of its own. */
const places = (figure, pose) => {
  const all = figure.joints.map((j) => placeOn(pose, j)), told = (p) => p.map((x) => x.toFixed(4)).join(' ');
  const sum = all.reduce((to, p, k) => to.map((x, i) => x + p[i] * (1 + (k % 11))), [0, 0, 0]);
  return `    ${figure.name}: ${all.length} joints, ${[all[0], all.at(-1), sum].map(told).join(', ')}`;
};
const text = (node) => node.innerText.split('\n').map((line) => '    ' + line.trimEnd()).filter((line) => line.trim());
const panelOf = (name) => { openTab(name); return text(byId('panel')); };

play(false);
tell('title ' + document.title, ...text(document.querySelector('header')), ...text(byId('clips')));
tell(...[...document.querySelectorAll('button, select, input')].map((x) => `  ${x.tagName.toLowerCase()} ${x.innerText || x.placeholder || ''} (${x.title})`));
App.figures.forEach((f) => ['hips', 'foot.L'].forEach((name) => { const n = f.names.find((x) => x.endsWith(name)); if (n) pick(n, true); }));
for (const name of States.machine ? [] : names()) {
  States.off();
  select(name);
  const clip = leader();
  seek(0.37 * clip.seconds);
  tell(`clip ${name}`, ...drawn(() => {}), ...text(byId('now')));
  App.figures.forEach((f) => {
    const own = clipOf(f, name);
    if (!own) return;
    const pose = poseOf(f, own, App.seconds);
    tell(places(f, pose));
    tell(`    a round later ${poseOf(f, own, App.seconds, 1).page.map((x) => x.toFixed(4)).join(' ')}`);
  });
  tell('  facts', ...panelOf('facts'));
}
const last = names().at(-1);
for (const name of States.machine ? [] : [last]) {
  select(name);
  seek(0.61 * leader().seconds);
  for (const tab of tabs().filter((t) => t !== 'states')) tell(`${name}: ${tab}`, ...panelOf(tab));
  for (const button of document.querySelectorAll('#views button'))
    tell(`${name}: ${button.innerText}`, ...drawn(() => button.click()));
  for (const [what, act] of [['step on', () => step(1)], ['three back', () => step(-3)], ['end', () => seekSample(Infinity)], ['turned', () => App.stage.turn(0.31, -0.17)], ['moved', () => App.stage.move(23, -11)], ['nearer', () => App.stage.near(0.7)]])
    tell(`${name}: ${what}`, ...drawn(act), ...text(byId('now')));
  for (const mode of ['on', 'next', 'once']) {
    Object.assign(App, { mode, playing: true });
    select(name);
    for (const by of [0.13, 0.29, 3.3]) advance(by);
    tell(`${name}: ${mode} ${App.clip} ${App.seconds.toFixed(4)} ${App.rounds} ${App.playing}`);
  }
}
play(false);
byId('search').value = last.slice(-3);
list();
tell(`search ${byId('search').value}`, ...text(byId('clips')));
if (States.machine) {
  openTab('states');
  toStart();
  States.again();
  for (const flag of [...States.keys.keys(), ...States.keys.keys()]) {
    States.press(flag);
    for (let k = 0; k < 7; ++k) States.advance(0.093);
    draw();
    const machine = States.machine;
    tell(`states after ${flag}`, ...text(byId('panel')), ...drawn(() => {}), '    ' + machine.mix().map(([name, w]) => `${name} ${w.toFixed(4)}`).join(', '),
      places(App.figures[0], machine.pose()));
  }
}
tell('errors', ...App.errors);
return out.join('\n') + '\n';
