// Files that lie beside the page rather than in it: scripts that each hand over one GLB. A page opened
// from disk may run scripts from beside it, and may not read other files.
'use strict';

const Linked = {
  names: App.facts.linked ? App.facts.linked.files : {},
  waiting: new Map(),

  /** A promise of a file of the page, which is asked for once. */
  load(id) {
    if (!this.waiting.has(id)) this.waiting.set(id, new Promise((done) => {
      const src = [App.facts.linked.folder, this.names[id]].map(encodeURIComponent).join('/');
      const failed = () => trouble(`${App.facts.linked.folder}/${this.names[id]} could not be loaded: the folder belongs beside this page.`);
      const script = el('script', { src, onload: () => { script.remove(); done(); }, onerror: failed });
      document.head.append(script);
    }));
    return this.waiting.get(id);
  },

  /** Everything that the page opens with: skins; with states, or for checks, the clips too. */
  first() {
    const all = App.facts.states || Address.words.has('check');
    const ids = new Set(App.facts.figures.flatMap((f) => [f.skin, ...(all ? f.clips.map((c) => c.data) : [])]));
    return Promise.all([...ids].map((id) => this.load(id)));
  },
};

/** What the files beside the page call. */
window.mellowFile = (name, text) => {
  const file = new Glb.File(Glb.bytesOf(text));
  for (const id of Object.keys(Linked.names)) if (Linked.names[id] === name) App.files.set(id, file);
};

if (App.facts.linked) Linked.first().then(start); else start();
