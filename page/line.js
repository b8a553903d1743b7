// The time line: samples, cues, standing feet, parts; scrubbed by the mouse and by keys, and zoomed by the wheel.
'use strict';

const Line = {
  ROWS: 3, from: 0, to: 1, marks: [],

  start() {
    const canvas = byId('line');
    // As high as the most that any clip has, so that nothing moves when clips change.
    const feet = Math.max(2, ...App.figures.flatMap((f) => (f.manifest ? f.manifest.clips : []).map((c) => ((c.motion && c.motion.feet) || []).length)));
    this.feet = Math.min(8, feet);
    this.top = 12 + 11 * this.ROWS;
    this.bar = 4 + 6 * this.feet;
    this.height = this.top + this.bar + 15;
    canvas.style.height = this.height + 'px';
    const at = (e) => e.clientX - canvas.getBoundingClientRect().left;
    const scrub = (e) => { const clip = leader(); if (clip) { States.off(); play(false); seekSample(this.second(at(e)) * clip.rate); } };
    canvas.addEventListener('pointerdown', (e) => {
      canvas.setPointerCapture(e.pointerId);
      const mark = this.markAt(e);
      if (mark) { States.off(); play(false); seek(mark.seconds); this.held = true; } else scrub(e);
    });
    canvas.addEventListener('pointermove', (e) => {
      if (e.buttons && !this.held) scrub(e);
      const mark = this.markAt(e);
      canvas.title = mark ? mark.title : '';
    });
    canvas.addEventListener('pointerup', () => { this.held = false; });
    canvas.addEventListener('dblclick', () => { this.whole(); changed(); });
    canvas.addEventListener('wheel', (e) => {
      const clip = leader();
      e.preventDefault();
      if (!clip || !clip.seconds) return;
      const span = this.to - this.from, mouse = this.second(at(e)) / clip.seconds;
      if (e.shiftKey || Math.abs(e.deltaX) > Math.abs(e.deltaY)) this.show(this.from + ((e.deltaX || e.deltaY) * span) / 800, span);
      else {
        const next = Math.max(Math.min(1, 4 / (clip.seconds * clip.rate)), Math.min(1, span * Math.exp(e.deltaY * 0.002)));
        this.show(mouse - ((mouse - this.from) * next) / span, next);
      }
      changed();
    }, { passive: false });
    canvas.addEventListener('keydown', (e) => {
      const by = { ArrowUp: 1, ArrowDown: -1, PageUp: 10, PageDown: -10 }[e.key];
      if (by) { step(by); e.preventDefault(); e.stopPropagation(); }
    });
  },

  whole() { this.from = 0; this.to = 1; },
  show(from, span) { this.from = Math.max(0, Math.min(1 - span, from)); this.to = this.from + span; },

  width: () => byId('line').clientWidth,
  /** Pixels of a second of the clip, and back. */
  x(seconds) { const clip = leader(); return 8 + ((this.width() - 16) * (seconds / Math.max(clip.seconds, 1e-9) - this.from)) / (this.to - this.from); },
  second(x) { const clip = leader(); return (this.from + ((x - 8) / (this.width() - 16)) * (this.to - this.from)) * clip.seconds; },

  /** The cue whose triangle or name is under the mouse. */
  markAt(e) {
    const box = byId('line').getBoundingClientRect(), x = e.clientX - box.left, y = e.clientY - box.top;
    return y > this.top ? null : this.marks.find((m) => (Math.abs(x - m.x) < 6 && y > this.top - 12) || (x >= m.x && x < m.end && Math.abs(y - m.y + 4) < 6)) || null;
  },

  draw() {
    const canvas = byId('line'), c = canvas.getContext('2d'), ratio = window.devicePixelRatio || 1;
    const w = canvas.clientWidth, clip = leader(), { top, bar, height } = this;
    if (canvas.width !== Math.round(w * ratio) || canvas.height !== Math.round(height * ratio)) { canvas.width = Math.round(w * ratio); canvas.height = Math.round(height * ratio); }
    c.setTransform(ratio, 0, 0, ratio, 0, 0);
    c.clearRect(0, 0, w, height);
    this.marks = [];
    this.say(clip);
    if (!clip) return;
    const k = App.seconds / Math.max(clip.seconds, 1e-9);
    if (App.playing && (k < this.from || k > this.to)) this.show(k, this.to - this.from);
    const x = (seconds) => this.x(seconds), facts = clip.facts || {}, span = (this.to - this.from) * clip.seconds * clip.rate;
    c.fillStyle = color('panel'); c.fillRect(8, top, w - 16, bar);
    c.font = '10px sans-serif';
    c.save(); c.beginPath(); c.rect(2, 0, w - 2, height); c.clip();
    const every = [1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 1500, 6000].find((n) => ((w - 16) * n) / Math.max(span, 1e-9) > 34) || 30000;
    for (let n = Math.ceil((this.from * clip.seconds * clip.rate) / every) * every; n <= this.to * clip.seconds * clip.rate + 1e-6; n += every) {
      c.fillStyle = color('line'); c.fillRect(x(n / clip.rate), top, 1, bar);
      c.fillStyle = color('mid'); c.textAlign = 'center'; c.fillText(String(n), Math.min(x(n / clip.rate), w - c.measureText(String(n)).width / 2), height - 3); c.textAlign = 'left';
    }
    ((facts.motion && facts.motion.feet) || []).slice(0, this.feet).forEach((foot, row) => {
      c.fillStyle = color(row % 2 ? 'warm' : 'good');
      for (const t of foot.contacts) {
        const from = Math.max(8, x(t.first_sample / clip.rate)), to = Math.min(w - 8, x(t.last_sample / clip.rate));
        if (to >= from) c.fillRect(from, top + 2 + 6 * row, Math.max(2, to - from), 5);
      }
    });
    for (const part of facts.made_of || []) {
      const at = x(part.first_sample / clip.rate);
      c.strokeStyle = color('mid'); c.setLineDash([3, 2]);
      c.beginPath(); c.moveTo(at, 0); c.lineTo(at, top + bar); c.stroke(); c.setLineDash([]);
      c.fillStyle = color('mid'); c.fillText(part.name, at + 3, 9);
    }
    this.cues(c, facts.cues || [], x);
    c.restore();
    c.fillStyle = color('strong'); c.fillRect(x(App.seconds) - 1, 12, 3, top + bar - 8);
  },

  /** Triangles; names in the first row that has room, or none: they are in the title and under facts as well. */
  cues(c, all, x) {
    const free = new Array(this.ROWS).fill(-1e9);
    for (const cue of all) {
      const at = x(cue.seconds), wide = c.measureText(cue.name).width, row = free.findIndex((end) => at + 5 >= end), y = 20 + 11 * row;
      const mark = { seconds: cue.seconds, x: at, end: at, y: 0, title: `${cue.name}, ${cue.seconds.toFixed(3)} s` + (cue.until ? ` to ${cue.until.toFixed(3)} s` : '') };
      c.fillStyle = color('ink');
      c.beginPath(); c.moveTo(at, this.top); c.lineTo(at - 4, this.top - 7); c.lineTo(at + 4, this.top - 7); c.fill();
      if (cue.until) c.fillRect(at, this.top - 3, x(cue.until) - at, 3);
      if (row >= 0) {
        c.fillText(cue.name, at + 5, y);
        c.fillRect(at, y - 6, 1, this.top - y);
        free[row] = at + 10 + wide;
        mark.end = at + 5 + wide; mark.y = y;
      }
      this.marks.push(mark);
    }
  },

  /** Numbers in fields of their own, so that nothing runs together or moves. */
  say(clip) {
    const put = (id, text) => { if (byId(id).textContent !== text) byId(id).textContent = text; };
    const facts = (clip && clip.facts) || {}, { source } = facts;
    byId('now').setAttribute('aria-live', App.playing ? 'off' : 'polite');
    put('now-sample', clip ? `sample ${short(sampleAt(clip), 5)}, last ${clip.samples - 1}` : App.clip ? 'loading' : 'at rest');
    put('now-second', clip ? `${App.seconds.toFixed(3)} s` : '');
    const [num, den] = source && source.rate && !facts.made_of && !source.shaped ? source.rate.split('/').map(Number) : [];
    put('now-source', clip && num ? `source frame ${short(source.first + (App.seconds * num) / (den || 1), 5)}` : '');
    put('now-round', App.rounds ? `round ${App.rounds + 1}` : '');
    put('shown', App.playing ? (App.left ? `${short(App.perSecond || 0, 2)} pictures a second, ${App.left} samples not shown` : '') : States.left ? 'states wait: "play states" goes on with them' : '');
    if (!clip) return;
    const line = byId('line'), at = Math.round(sampleAt(clip));
    for (const [k, v] of Object.entries({ valuemin: 0, valuemax: clip.samples - 1, valuenow: at, valuetext: `sample ${at} of ${clip.samples - 1}` })) line.setAttribute('aria-' + k, v);
    const feet = ((facts.motion && facts.motion.feet) || []).slice(0, this.feet).map((f) => f.joint);
    const key = JSON.stringify([feet, Boolean((facts.cues || []).length), Boolean(facts.made_of)]);
    if (this.legend === key) return;
    this.legend = key;
    byId('legend').replaceChildren(...[
      el('span', {}, 'numbers: samples'), (facts.cues || []).length ? el('span', {}, '\u25bc cue') : null, facts.made_of ? el('span', {}, '\u250a part begins') : null,
      ...feet.map((joint, row) => el('span', {}, el('i', { style: `background:var(--${row % 2 ? 'warm' : 'good'})` }), ` ${joint} stands`)),
    ].filter(Boolean));
  },
};
