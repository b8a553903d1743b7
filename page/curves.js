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
    const every = Math.max(1, Math.ceil(clip.samples / 2000)), ks = [];
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
        const parts = App.curve === 'quaternion' ? 'xyzw' : 'XYZ';
        [...parts].forEach((p, c) => add(`${name} ${p}`, (s) => {
          const l = figure.local(node, clip, s);
          return App.curve === 'place' ? l.t[c] : App.curve === 'quaternion' ? l.q[c] : Curves.euler(l.q, App.order)[c];
        }));
      }
    return out;
  },

  panel() {
    const choice = (value, options, set) => el('select', { onchange: (e) => { set(e.target.value); panel(); } }, ...options.map((o) => el('option', { value: o, selected: o === value }, o)));
    const canvas = el('canvas', { id: 'chart' });
    return [
      el('p', {}, choice(App.curve, ['place', 'angles', 'quaternion', 'morphs', 'scalars'], (v) => { App.curve = v; }), ' ',
        App.curve === 'angles' ? choice(App.order, ['XYZ', 'XZY', 'YXZ', 'YZX', 'ZXY', 'ZYX'], (v) => { App.order = v; }) : null),
      el('div', { class: 'chart' }, canvas),
      el('p', {}, ['morphs', 'scalars'].includes(App.curve) ? 'By sample of the clip.' : 'Local to the joint above, by sample; angles: turned about the last axis first. Of these joints:'),
      ...['morphs', 'scalars'].includes(App.curve) ? [] : PANELS.joints().slice(1),
    ];
  },

  draw() {
    const dashes = [[], [6, 3], [2, 2], [8, 3, 2, 3]], inks = ['strong', 'warm', 'good', 'mid'];
    const datasets = this.lines().map((l, i) => ({ ...l, borderColor: color(inks[i % 4]), borderDash: dashes[i % 4], borderWidth: 1.5, pointRadius: 0 }));
    if (this.chart) this.chart.destroy();
    const axis = { grid: { color: color('line') }, ticks: { color: color('mid') } };
    this.chart = new Chart(byId('chart'), {
      type: 'line',
      data: { datasets },
      options: {
        animation: false, parsing: false, normalized: true, maintainAspectRatio: false,
        scales: { x: { type: 'linear', ...axis }, y: axis },
        plugins: { legend: { labels: { color: color('ink'), boxHeight: 1, font: { size: 10 } } } },
        onClick: (e, _, chart) => { const clip = leader(); if (clip) seek(chart.scales.x.getValueForPixel(e.x) / clip.rate); },
      },
      plugins: [{ afterDraw: (chart) => {
        const clip = leader();
        if (!clip) return;
        const { ctx, chartArea: a, scales } = chart, x = scales.x.getPixelForValue(App.seconds * clip.rate);
        ctx.save(); ctx.strokeStyle = color('ink'); ctx.beginPath(); ctx.moveTo(x, a.top); ctx.lineTo(x, a.bottom); ctx.stroke(); ctx.restore();
      } }],
    });
  },

  mark() { if (this.chart) this.chart.draw(); },
};
