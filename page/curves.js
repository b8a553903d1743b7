// Curves of chosen joints, of morph weights and of scalars, drawn by Chart.js.
'use strict';

const Curves = {
  chart: null,

  /** Euler angles in degrees of a quaternion: rotation about the first letter's axis is applied last. */
  euler(q, order) {
    const m = Glb.compose([0, 0, 0], q, [1, 1, 1]);
    const at = (r, c) => m[3 * c + r];
    const [i, j, k] = [...order].map((x) => 'XYZ'.indexOf(x));
    const sign = (j - i + 3) % 3 === 1 ? 1 : -1;
    const middle = Math.asin(Math.max(-1, Math.min(1, sign * at(i, k))));
    const flat = Math.abs(at(i, k)) > 1 - 1e-9;
    const first = flat ? Math.atan2(sign * at(k, j), at(j, j)) : Math.atan2(-sign * at(j, k), at(k, k));
    const last = flat ? 0 : Math.atan2(-sign * at(i, j), at(i, i));
    const out = [];
    out[i] = first; out[j] = middle; out[k] = last;
    return out.map((x) => (x * 180) / Math.PI);
  },

  /** Lines to draw: { label, values by sample }. */
  lines() {
    const figure = lead(), clip = clipOf(figure, App.clip), out = [];
    if (!clip) return out;
    if (App.tab === 'source') return Source.lines(figure, clip);
    const every = Math.max(1, Math.ceil(clip.samples / 2000)), ks = [], { metres_per_unit: m } = figure.convention;
    for (let k = 0; k < clip.samples; k += every) ks.push(k);
    const add = (label, get) => out.push({ label, data: ks.map((k) => ({ x: k, y: get(clip.begin + k / clip.rate) })) });
    if (App.curve === 'morphs')
      (figure.file.json.nodes || []).forEach((n, i) => {
        if (n.mesh === undefined) return;
        const mesh = figure.file.json.meshes[n.mesh], targets = (mesh.extras && mesh.extras.targetNames) || [];
        targets.forEach((t, c) => add(`${figure.names[i]}/${t}`, (s) => figure.weights(i, clip, s - clip.begin)[c]));
      });
    else if (App.curve === 'scalars')
      for (const s of clip.scalars()) add(`${s.name}, ${s.unit}`, (t) => Glb.sample(clip.file, s.sampler, t)[0]);
    else
      for (const name of App.chosen) {
        const node = figure.names.indexOf(name);
        if (node < 0) continue;
        const parts = App.curve === 'quaternion' ? 'xyzw' : 'XYZ', page = pageAfter(figure, clip, 0);
        [...parts].forEach((p, c) => add(`${name} ${p}`, (s) => {
          if (App.curve === 'world') return Glb.point(page, figure.placeOf(node, clip, s - clip.begin))[c];
          const l = figure.local(node, clip, s);
          return App.curve === 'place' ? l.t[c] * m : App.curve === 'quaternion' ? l.q[c] : Curves.euler(l.q, App.order)[c];
        }));
      }
    return out;
  },

  /** Kinds of curves: name, unit of the axis, what is said of it. */
  KINDS: {
    place: ['place, local', 'metres', 'Local to the joint above.'], world: ['place, on the stage', 'metres', 'X left, Y up, Z front, where the figure stands.'], angles: ['angles, local', 'degrees', ''],
    quaternion: ['quaternion, local', '', 'Local to the joint above.'], morphs: ['morph weights', '', ''], scalars: ['scalar channels', '', ''],
  },

  panel() {
    const choice = (label, value, options, set) => el('select', { 'aria-label': label, onchange: (e) => { set(e.target.value); Curves.draw(); } }, ...options.map(([o, word]) => el('option', { value: o, selected: o === value }, word)));
    const orders = choice('order of angles', App.order, [['XYZ', 'XYZ: Z first, then Y, then X'], ['XZY', 'XZY: Y first, then Z, then X'], ['YXZ', 'YXZ: Z first, then X, then Y'], ['YZX', 'YZX: X first, then Z, then Y'], ['ZXY', 'ZXY: Y first, then X, then Z'], ['ZYX', 'ZYX: X first, then Y, then Z']], (v) => { App.order = v; });
    orders.id = 'order';
    return [
      el('p', {}, choice('kind of curves', App.curve, Object.entries(this.KINDS).map(([k, [word]]) => [k, word]), (v) => { App.curve = v; }), ' ', orders),
      el('p', { id: 'chart-words' }),
      el('div', { class: 'chart' }, el('canvas', { id: 'chart', 'aria-label': 'curves by sample' })),
      el('div', { id: 'curve-joints' }, ...PANELS.joints().slice(1)),
    ];
  },

  draw() {
    if (!byId('chart')) return;
    const dashes = [[], [6, 3], [2, 2], [9, 3, 2, 3]], inks = ['strong', 'warm', 'good', 'mid'], clip = leader(), source = App.tab === 'source';
    const kind = source ? ['', 'millimetres', ''] : this.KINDS[App.curve], joints = !source && !['morphs', 'scalars'].includes(App.curve);
    const lines = this.lines(), datasets = lines.map((l, i) => ({ ...l, borderColor: color(inks[i % 4]), borderDash: dashes[(i + (i >> 2)) % 4], borderWidth: 1.5, pointRadius: 0 }));
    if (!source) {
      byId('order').hidden = App.curve !== 'angles';
      byId('curve-joints').hidden = !joints;
      byId('chart-words').textContent = lines.length ? kind[2] : joints ? 'Choose joints below: they get curves here.' : clip ? `This clip has no ${kind[0]}.` : 'No motion.';
    }
    byId('chart').parentNode.hidden = !lines.length;
    byId('chart').parentNode.style.height = 200 + 14 * Math.ceil(lines.length / 3) + 'px';
    if (this.chart) this.chart.destroy();
    const axis = (text, more = {}) => ({ grid: { color: color('line') }, ticks: { color: color('mid'), font: { size: 10 } }, title: { display: Boolean(text), text, color: color('mid'), font: { size: 10 } }, ...more });
    this.chart = new Chart(byId('chart'), {
      type: 'line',
      data: { datasets },
      options: {
        animation: false, parsing: false, normalized: true, maintainAspectRatio: false, events: ['mousemove', 'mouseout'],
        scales: { x: { type: 'linear', ...axis('sample', { min: 0, max: clip ? clip.samples - 1 : 1 }) }, y: axis(kind[1]) },
        plugins: { legend: { position: 'bottom', labels: { color: color('ink'), boxHeight: 1, boxWidth: 22, padding: 6, font: { size: 10 } } } },
      },
      plugins: [{ afterDraw: (chart) => {
        const now = leader();
        if (!now) return;
        const { ctx, chartArea: a, scales } = chart, x = scales.x.getPixelForValue(App.seconds * now.rate);
        ctx.save(); ctx.strokeStyle = color('ink'); ctx.beginPath(); ctx.moveTo(x, a.top); ctx.lineTo(x, a.bottom); ctx.stroke(); ctx.restore();
      } }],
    });
    const scrub = (e) => {
      const box = byId('chart').getBoundingClientRect();
      if (!e.buttons || !leader()) return;
      States.off(); play(false);
      seekSample(this.chart.scales.x.getValueForPixel(e.clientX - box.left));
    };
    byId('chart').onpointerdown = (e) => { e.target.setPointerCapture(e.pointerId); scrub(e); };
    byId('chart').onpointermove = scrub;
  },

  mark() { if (this.chart && this.chart.canvas) this.chart.draw(); },
};
