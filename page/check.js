// With #check behind its address the page writes what it reads into <pre id="check">, as JSON: for each
// figure and clip, places of all joints at ten samples, in the file's axes and unit.
'use strict';

const Check = {
  run() {
    if (!Address.words.has('check')) return;
    const out = { state: window.mellow.state(), figures: App.figures.map((figure, i) => ({
      name: figure.name,
      clips: Object.fromEntries(figure.given.map(({ name }) => {
        const clip = clipOf(figure, name);
        const samples = Array.from({ length: 10 }, (_, k) => Math.round((k * (clip.samples - 1)) / 9));
        const at = samples.map((k) => window.mellow.places(i, name, k / clip.rate));
        return [name, { samples, at }];
      })),
    })) };
    document.body.append(el('pre', { id: 'check', hidden: true }, JSON.stringify(out)));
  },
};
