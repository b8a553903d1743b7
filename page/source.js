// The source over the result: where the rig has each joint, and how far the files are from it. Places of
// the source are metres, +Y up, +Z front, as everything stands on the page.
'use strict';

const Source = {
  /** Place of a joint, by its number in the source, at a sample. */
  at(figure, clip, k, joint) {
    const from = 3 * (k * figure.sourceJoints.length + joint);
    return Array.from(clip.source.subarray(from, from + 3));
  },

  samples: (figure, clip) => Math.min(clip.samples, clip.source.length / 3 / figure.sourceJoints.length),

  /** Millimetres between source and file: [sample][joint]; joints that the files do not have are left out. */
  measure(figure, clip) {
    if (clip.differences) return clip.differences;
    const joints = figure.sourceJoints.map((name, j) => ({ name, j, node: figure.names.indexOf(name), worst: 0, sample: 0 })).filter((x) => x.node >= 0);
    const rows = [];
    for (let k = 0; k < this.samples(figure, clip); ++k) {
      const pose = poseOf(figure, clip, k / clip.rate);
      rows.push(joints.map((x) => {
        const a = placeOn(pose, x.node), b = this.at(figure, clip, k, x.j);
        const mm = 1000 * Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
        if (mm > x.worst) { x.worst = mm; x.sample = k; }
        return mm;
      }));
    }
    clip.differences = { joints, rows };
    return clip.differences;
  },

  draw(stage, figure, clip, seconds, aside) {
    const at = Math.min(seconds * clip.rate, this.samples(figure, clip) - 1), k = Math.floor(at), u = at - k;
    const next = Math.min(k + 1, this.samples(figure, clip) - 1);
    const place = (j) => {
      const a = this.at(figure, clip, k, j), b = this.at(figure, clip, next, j);
      return a.map((x, i) => x + (b[i] - x) * u + aside[i]);
    };
    figure.sourceJoints.forEach((name, j) => {
      const node = figure.names.indexOf(name);
      let up = node < 0 ? -1 : figure.jointAbove(node);
      while (up >= 0 && !figure.sourceJoints.includes(figure.names[up])) up = figure.jointAbove(up);
      if (up >= 0) stage.line([place(figure.sourceJoints.indexOf(figure.names[up])), place(j)], color('warm'), 1.5, [4, 3]);
    });
  },

  lines(figure, clip) {
    if (!clip.source) return [];
    const { joints, rows } = this.measure(figure, clip);
    const line = (label, get) => ({ label, data: rows.map((row, k) => ({ x: k, y: get(row) })) });
    return [line('worst joint, mm', (row) => Math.max(...row)),
      ...joints.flatMap((x, c) => (App.chosen.has(x.name) ? [line(x.name + ', mm', (row) => row[c])] : []))];
  },

  panel() {
    const figure = lead(), clip = clipOf(figure, App.clip);
    if (!clip || !clip.source) return [el('p', {}, 'Of this clip there is no source on the page.')];
    const { joints } = this.measure(figure, clip);
    const worst = [...joints].sort((a, b) => b.worst - a.worst);
    const proof = clip.facts && clip.facts.proof && clip.facts.proof.joint_position_mm;
    const toWorst = (x) => { play(false); pick(x.name, true); seekSample(x.sample); };
    return [
      el('p', {}, 'Dashed: where the rig has the joints. The difference is measured here, from the files, in single precision.'),
      el('div', { class: 'chart' }, el('canvas', { id: 'chart' })),
      rows([['worst here', worst.length ? short(worst[0].worst, 3) + ' mm' : ''], ['by the proof', proof && short(proof.worst, 3) + ' mm'], ['joints', joints.length]]),
      el('h2', {}, 'worst of each joint, millimetres'),
      el('table', {}, ...worst.map((x) => el('tr', {}, el('td', {}, x.name), el('td', {}, short(x.worst, 3)), el('td', {}, el('button', { onclick: () => toWorst(x) }, 'sample ' + x.sample))))),
    ];
  },
};
