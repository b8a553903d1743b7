// The panels beside the stage. A panel is built when its tab is opened; what changes with the clip is filled in anew.
'use strict';

/** A table of facts: [label, a value for each column]; rows in which nothing stands are left out. */
function rows(list, heads = []) {
  const said = (x) => x !== undefined && x !== null && x !== '';
  const cell = (x) => el('td', {}, x instanceof Node ? x : said(x) ? short(x) : '');
  return el('table', {}, heads.length > 1 ? el('tr', {}, el('td', {}), ...heads.map((h) => el('th', {}, h))) : null,
    ...list.map(([label, ...values]) => [label, values.flat()]).filter(([, values]) => values.some(said)).map(([label, values]) => el('tr', {}, el('td', {}, label), ...values.map(cell))));
}

const kilobytes = (n) => (n === undefined ? undefined : n < 1e6 ? `${short(n / 1e3, 3)} kB` : `${short(n / 1e6, 3)} MB`);
const nearly = (x, unit = 'mm') => (x < 0.001 ? `under 0.001 ${unit}` : `${short(x, 3)} ${unit}`);
const WORDS = { closed: 'loop, last sample is the first', open: 'loop, open', once: 'once' };
/** A rate as people write it: 30, 29.97, 120 where a file's times say 120.000004. */
const rateText = (rate) => short(Math.abs(rate - Math.round(rate)) < 1e-4 * rate ? Math.round(rate) : rate, 6);

const PANELS = {
  facts() {
    const having = App.figures.filter((f) => !f.hidden && f.given.some((c) => c.name === App.clip)), all = having.length ? having : [lead()];
    const pairs = all.map((figure) => [figure, clipOf(figure, App.clip)]), clip = leader();
    const each = (get) => pairs.map(([figure, c]) => (c ? get((c.facts || {}), c, figure) : ''));
    const heads = all.map((f) => f.name), travel = pairs.map(([, c]) => c && c.facts && c.facts.travel).find(Boolean);
    const there = (worst) => worst && worst.sample !== undefined && el('button', { onclick: () => { play(false); seekSample(worst.sample); pick(worst.at, true); } }, `sample ${worst.sample}, ${worst.at}`);
    const seams = pairs.map(([figure, c]) => Paint.seam(figure, c)), cues = (clip && clip.facts && clip.facts.cues) || [];
    const points = (figure) => (figure.file.json.meshes || []).flatMap((x) => x.primitives).reduce((sum, q) => sum + figure.file.accessor(q.attributes.POSITION).count, 0);
    const manifest = (get) => all.map((f) => (f.manifest ? get(f.manifest) : ''));
    return [
      el('h2', {}, 'clip'),
      clip ? rows([['name', [clip.name]], ['samples', each((f, c) => c.samples)], ['seconds', each((f, c) => c.seconds)], ['rate', each((f, c) => rateText(c.rate) + ' per second')], ['plays', each((f, c) => WORDS[c.loop] || c.loop)], ['from', each((f) => f.source && f.source.timeline && `frames ${f.source.first} to ${f.source.last} of ${f.source.timeline}`)], ['group', each((f) => f.group)], ['file', each((f) => f.file)], ['size', each((f) => kilobytes(f.bytes))]], heads) : 'no motion: the rest pose',
      travel ? el('h2', {}, 'travel' + (travel.channels ? ', as channels' : '')) : null,
      travel ? rows([['on the root', each((f) => (f.travel ? ['ground', 'height', 'heading'].filter((k) => f.travel[k]).join(', ') || 'nothing' : ''))], ['goes', each((f) => f.travel && short(f.travel.path_m) + ' m')], ['speed', each((f) => f.travel && short(f.travel.speed_m_s) + ' m/s')], ['rises by', each((f) => f.travel && short(f.travel.height_change_m) + ' m')], ['turns by', each((f) => f.travel && short(f.travel.heading_change_degrees) + ' degrees')], ['starts turned', each((f) => f.travel && f.travel.start_heading_degrees !== undefined && short(f.travel.start_heading_degrees, 3) + ' degrees')]], heads) : null,
      seams.some(Boolean) ? el('h2', {}, 'first and last pose, travel taken off') : null,
      seams.some(Boolean) ? rows([['apart', seams.map((s) => s && nearly(s.mm))], ['turned', seams.map((s) => s && nearly(s.degrees, 'degrees'))], ['most at', seams.map((s) => s && (s.mm < 0.001 ? '' : s.joint))]], heads) : null,
      cues.length ? el('h2', {}, 'cues') : null,
      ...cues.map((cue) => el('div', {}, el('button', { onclick: () => { States.off(); play(false); seek(cue.seconds); } }, cue.name), ` ${cue.seconds.toFixed(3)} s` + (cue.until ? ` to ${cue.until.toFixed(3)} s` : '') + (cue.joint ? `, ${cue.joint}` : ''))),
      pairs.some(([, c]) => c && c.facts && c.facts.proof && c.facts.proof.samples) ? el('h2', {}, 'off from the rig, at most') : null,
      rows([['joints', each((f) => f.proof && f.proof.joint_position_mm && nearly(f.proof.joint_position_mm.worst))], ['there', each((f) => there(f.proof && f.proof.joint_position_mm))], ['turns', each((f) => f.proof && f.proof.joint_rotation_degrees && nearly(f.proof.joint_rotation_degrees.worst, 'degrees'))], ['vertices', each((f) => f.proof && f.proof.skinned_vertex_mm && nearly(f.proof.skinned_vertex_mm.worst))]], heads),
      ...pairs.filter(([, c]) => c && c.facts && c.facts.motion && (c.facts.motion.feet || []).length).flatMap(([figure, c]) => [el('h2', {}, 'feet' + (all.length > 1 ? ', ' + figure.name : '')), rows(c.facts.motion.feet.map((x) => [x.joint, [`slides ${x.slide_mm.toFixed(1)} mm, ${x.depth_mm.toFixed(1)} mm deep`]]))]),
      el('h2', {}, 'figure'),
      rows([['joints', all.map((f) => f.joints.length)], ['vertices', all.map(points)], ['height', manifest((m) => m.skin && short(m.skin.height_m) + ' m')], ['axes', all.map(({ convention: c }) => `${c.up} up, ${c.front} front, ${c.hand}-handed`)], ['unit', all.map((f) => short(f.convention.metres_per_unit, 6) + ' m')], ['size', manifest((m) => m.skin && kilobytes(m.skin.bytes))], ['target', manifest((m) => m.target && m.target.name)]], heads),
    ];
  },
  joints() {
    const figure = lead(), deep = (j) => { let n = 0; for (let up = figure.jointAbove(j); up >= 0; up = figure.jointAbove(up)) ++n; return n; };
    return [
      el('p', {}, 'Chosen joints leave a trail, are named, and have curves; between two of them the distance stands on the stage.' + (App.figures.length > 1 ? ` Of ${figure.name}.` : '')),
      ...figure.joints.map((j) => el('div', { style: `padding-left:${10 * deep(j)}px` },
        el('label', {}, el('input', { type: 'checkbox', checked: App.chosen.has(figure.names[j]), 'data-joint': figure.names[j], onchange: (e) => pick(figure.names[j], e.target.checked) }), ' ' + figure.names[j]))),
    ];
  },
  states() { return States.panel(); },
  curves() { return Curves.panel(); },
  source() { return Source.panel(); },
  findings() {
    const all = App.figures.flatMap((f) => f.findings.map((finding) => ({ finding, of: App.figures.length > 1 ? f.name : '', here: clipOfFinding(finding) === App.clip && App.clip })));
    if (!all.length) return [el('p', {}, 'Nothing was found.')];
    const shown = ({ finding: f, of }) => el('div', { class: 'find ' + f.severity, role: 'button', tabindex: 0, onclick: () => go(f), onkeydown: (e) => { if (e.key === 'Enter') go(f); } },
      el('b', {}, f.found), f.expected ? el('div', {}, 'wanted: ' + f.expected) : null, f.remedy ? el('code', {}, f.remedy) : null, el('small', {}, [of, f.where, `${f.severity}, ${f.code}`].filter(Boolean).join(' \u00b7 ')));
    const here = all.filter((x) => x.here), other = all.filter((x) => !x.here);
    return [here.length ? el('h2', {}, `of ${App.clip}`) : null, ...here.map(shown), here.length && other.length ? el('h2', {}, 'of everything else') : null, ...other.map(shown)];
  },
};

/** The clip that a finding is about. */
const clipOfFinding = (finding) => {
  const place = finding.path || finding.where;
  return names().find((n) => place.includes(`"${n}"`)) || names().find((n) => finding.found.includes(`"${n}"`));
};

/** To the clip and sample that a finding names, and to a joint. */
function go(finding) {
  const clip = clipOfFinding(finding), at = /sample (\d+)/.exec(finding.where + ' ' + finding.found);
  States.off();
  if (clip && clip !== App.clip) select(clip);
  const words = new Set(finding.found.split(/[\s,:;"]+/)), joint = lead().joints.map((j) => lead().names[j]).find((n) => words.has(n));
  if (joint) pick(joint, true);
  const there = () => { play(false); seekSample(Number(at[1])); };
  if (at && leader()) there();
  else if (at && clip) Linked.load(App.figures.flatMap((f) => f.given).find((c) => c.name === clip).data).then(there);
}

function pick(name, on) {
  if (on) App.chosen.add(name); else App.chosen.delete(name);
  App.paths = null;
  for (const box of byId('panel').querySelectorAll('[data-joint]')) if (box.dataset.joint === name) box.checked = on;
  if (App.tab === 'curves' || App.tab === 'source') Curves.draw();
  remember();
  changed();
}

const tabs = () => Object.keys(PANELS).filter((name) => (name !== 'states' || States.machine) && (name !== 'source' || App.figures.some((f) => f.sourceJoints.length)));
const tabWord = (name) => ({ source: 'rig' })[name] || name;

function openTab(name) {
  App.tab = name;
  panel();
  remember();
}

/** Tabs are made once and keep the focus; the open one's panel is made anew. */
function panel() {
  const bar = byId('tabs'), all = tabs();
  if (bar.children.length !== all.length)
    bar.replaceChildren(...all.map((name) => el('button', { role: 'tab', id: 'tab-' + name, 'aria-controls': 'panel', onclick: () => openTab(name) }, tabWord(name))));
  bar.onkeydown = (e) => {
    const by = { ArrowRight: 1, ArrowLeft: -1 }[e.key];
    if (!by) return;
    e.preventDefault(); e.stopPropagation();
    openTab(all[(all.indexOf(App.tab) + by + all.length) % all.length]);
    byId('tab-' + App.tab).focus();
  };
  all.forEach((name) => { const tab = byId('tab-' + name); tab.setAttribute('aria-selected', name === App.tab); tab.tabIndex = name === App.tab ? 0 : -1; });
  byId('panel').setAttribute('aria-labelledby', 'tab-' + App.tab);
  byId('panel').replaceChildren(...PANELS[App.tab]().filter(Boolean));
  if (App.tab === 'curves' || App.tab === 'source') Curves.draw();
}

/** What depends on the clip, without taking controls away from under the mouse. */
function refresh() {
  if (App.tab === 'curves') Curves.draw();
  else if (App.tab !== 'states' && App.tab !== 'joints') panel();
}

const hits = () => {
  const words = byId('search').value.toLowerCase().split(/\s+/).filter(Boolean);
  return names().filter((n) => words.every((w) => n.toLowerCase().includes(w)));
};

function list() {
  const facts = new Map(App.figures.flatMap((f) => (f.manifest ? f.manifest.clips : [])).map((c) => [c.name, c]));
  const mine = lead() && lead().manifest ? new Map(lead().manifest.clips.map((c) => [c.name, c])) : facts;
  const fits = hits();
  byId('clips').replaceChildren(...fits.map((name, i) => {
    const f = mine.get(name) || facts.get(name);
    return el('li', { role: 'option', id: 'clip-' + i, 'data-name': name, onclick: () => { States.off(); select(name); } }, name, f ? el('small', {}, `${short(f.seconds)} s, ${f.samples === 1 ? 'a pose' : f.loop === 'once' ? 'once' : 'loop'}`) : null);
  }));
  if (!fits.length && names().length) byId('clips').append(el('p', {}, 'No clip has this in its name.'));
  markClip();
}

function markClip() {
  const all = [...byId('clips').children].filter((li) => li.dataset.name !== undefined), chosen = all.find((li) => li.dataset.name === App.clip);
  for (const li of all) li.setAttribute('aria-selected', li === chosen);
  if (chosen) { chosen.scrollIntoView({ block: 'nearest' }); byId('clips').setAttribute('aria-activedescendant', chosen.id); } else byId('clips').removeAttribute('aria-activedescendant');
}
