// Buttons and keys.
'use strict';

const KEYS = [
  ['space', 'play, pause'], ['left, right', 'a sample back, on; ten with shift'], ['Home, End', 'first, last sample'], ['up, down', 'the clip before, the next'],
  ['/', 'search clips: Enter takes the first, Escape clears'], ['1 2 3 4', 'from the front, the right side, the top, a quarter'], ['0', 'everything in view'],
  ['drag', 'turn'], ['shift or right drag', 'move aside'], ['wheel, two fingers', 'near and far'],
  ['stage: arrows', 'turn, with shift move aside, + and - near and far'], ['time line', 'drag; wheel zooms, shift and wheel moves, twice shows all; PageUp, PageDown ten samples'], ['?', 'these keys'],
];

function controls() {
  const toggle = (key, word, title) => el('button', { 'aria-pressed': App.shown[key], 'data-shown': key, title, onclick: (e) => { App.shown[key] = !App.shown[key]; e.currentTarget.setAttribute('aria-pressed', App.shown[key]); changed(); } }, word);
  byId('views').append(
    ...['quarter', 'front', 'side', 'top'].map((from, i) => el('button', { title: `key ${[4, 1, 2, 3][i]}`, onclick: () => App.stage.look(from) }, from)),
    el('button', { id: 'all', title: 'everything in view: key 0', onclick: showAll }, 'all'),
    el('button', { id: 'follow', 'aria-pressed': true, title: 'the camera goes with the figures', onclick: (e) => { App.follow = !App.follow; e.currentTarget.setAttribute('aria-pressed', App.follow); changed(); } }, 'follow'),
    ...[['skin', 'skin', 'what is deformed'], ['wire', 'wire', 'skin as wires'], ['bones', 'skeleton', 'joints'], ['names', 'names', 'names of joints'], ['axes', 'axes', 'axes of joints: X whole, Y dashed, Z dotted'], ['path', 'path', 'where the root goes'], ['ends', 'ends', 'first pose dotted, last pose dashed, with what a round travels taken off'], ['grid', 'ground', 'grid and heights']].map((x) => toggle(...x)),
    ...(App.figures.some((f) => f.sourceJoints.length) ? [['source', 'rig', 'dashed: where the rig has the joints'], ['apart', 'rig aside', 'the same, beside the figure']] : []).map((x) => toggle(...x)));
  if (App.figures.length > 1)
    byId('views').append(el('span', {}, 'figures: '), ...App.figures.map((f) => el('button', { 'aria-pressed': true, 'data-figure': f.name, onclick: (e) => { f.hidden = !f.hidden; e.currentTarget.setAttribute('aria-pressed', !f.hidden); list(); refresh(); changed(); } }, f.name)));
  byId('transport').append(
    el('button', { id: 'first', title: 'Home', onclick: toStart }, 'start'), el('button', { onclick: () => step(-1), title: 'left arrow' }, 'one back'),
    el('button', { id: 'play', onclick: () => play(!App.playing), title: 'space' }, 'play'), el('button', { onclick: () => step(1), title: 'right arrow' }, 'one on'),
    el('label', {}, 'speed ', el('select', { id: 'speed', onchange: (e) => { App.speed = Number(e.target.value); } }, ...[0.1, 0.25, 0.5, 1, 2, 4].map((x) => el('option', { value: x, selected: x === 1 }, x + 'x')))),
    el('label', {}, 'at the end ', el('select', { id: 'mode', onchange: (e) => { App.mode = e.target.value; App.rounds = 0; changed(); } }, el('option', { value: 'on' }, 'go round and walk on'), el('option', { value: 'back' }, 'go round on the spot'), el('option', { value: 'once' }, 'stop'), el('option', { value: 'next' }, 'next clip'))));
  byId('search').addEventListener('input', list);
  byId('dark').onclick = () => { document.documentElement.dataset.light = isDark() ? 'light' : 'dark'; relight(); };
  byId('keys').onclick = showKeys;
  byId('key-list').append(rows(KEYS), el('form', { method: 'dialog' }, el('button', {}, 'close')));
  if (!document.documentElement.dataset.light && window.matchMedia('(prefers-color-scheme: dark)').matches) document.documentElement.dataset.light = 'dark';
  document.addEventListener('keydown', key);
  // Who works by mouse wants keys to go to the clip afterwards, not to the button that was clicked last.
  document.addEventListener('pointerdown', () => { App.byMouse = true; }, true);
  document.addEventListener('keydown', () => { App.byMouse = false; }, true);
  document.addEventListener('click', (e) => { if (e.detail > 0 && e.target.closest && e.target.closest('button, [type=checkbox], label')) document.activeElement.blur(); });
  document.addEventListener('change', (e) => { if (e.target.tagName === 'SELECT' && App.byMouse) e.target.blur(); });
}

const isDark = () => document.documentElement.dataset.light === 'dark';
function relight() {
  Line.legend = '';
  if (App.tab === 'curves' || App.tab === 'source') Curves.draw();
  remember();
  changed();
}

function showAll() { App.stage.pan = [0, 0, 0]; measure(); changed(); }
function showKeys() { const box = byId('key-list'); if (box.open) box.close(); else box.showModal(); }
function toStart() { if (States.on) States.again(); else seek(0); }

function chooseClip(by) {
  const all = hits(), i = all.indexOf(App.clip);
  if (!all.length) return;
  States.off();
  select(i < 0 ? all[by > 0 ? 0 : all.length - 1] : all[(i + by + all.length) % all.length]);
}

function searchKey(e) {
  if (e.key !== 'Escape' && e.key !== 'Enter') return;
  if (e.key === 'Escape') { byId('search').value = ''; list(); }
  else if (hits().length && !hits().includes(App.clip)) { States.off(); select(hits()[0]); }
  byId('clips').focus();
  e.preventDefault();
}

function key(e) {
  const { target } = e, tag = target.tagName;
  if (target.id === 'search') { searchKey(e); return; }
  if (e.ctrlKey || e.metaKey || e.altKey || tag === 'SELECT' || byId('key-list').open) return;
  // What has the focus keeps the keys that work it.
  if ([' ', 'Enter'].includes(e.key) && (tag === 'BUTTON' || tag === 'INPUT' || (target.getAttribute && target.getAttribute('role') === 'button'))) return;
  if (['ArrowUp', 'ArrowDown'].includes(e.key) && target.closest && target.closest('aside')) return;
  if (target.id === 'stage' && App.stage.key(e)) { e.preventDefault(); return; }
  if (States.key(e.key)) { e.preventDefault(); return; }
  const keys = {
    ' ': () => play(!App.playing), ArrowLeft: () => step(e.shiftKey ? -10 : -1), ArrowRight: () => step(e.shiftKey ? 10 : 1), Home: toStart, End: () => { States.off(); seekSample(Infinity); },
    ArrowUp: () => chooseClip(-1), ArrowDown: () => chooseClip(1),
    '/': () => byId('search').focus(), 0: showAll, 1: () => App.stage.look('front'), 2: () => App.stage.look('side'), 3: () => App.stage.look('top'), 4: () => App.stage.look('quarter'), '?': showKeys,
  };
  if (!keys[e.key]) return;
  keys[e.key]();
  e.preventDefault();
}
