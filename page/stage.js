// The stage: skins in WebGL, below them the ground and over them lines and words on plain canvases, so
// that a page without WebGL still shows everything but skins.
'use strict';

class Stage {
  /** `changed` is called when the camera moves. */
  constructor(box, changed) {
    this.box = box;
    this.changed = changed;
    this.under = document.createElement('canvas');
    this.gl = document.createElement('canvas');
    this.flat = document.createElement('canvas');
    box.append(this.under, this.gl, this.flat);
    this.layers = [this.under, this.flat].map((canvas) => canvas.getContext('2d'));
    this.context = this.layers[1];
    this.yaw = -0.9; this.pitch = 0.25; this.distance = 4; this.target = [0, 0.9, 0]; this.pan = [0, 0, 0]; this.size = 2;
    this.actors = [];
    let gl = null;
    try { gl = Address.words.has('flat') ? null : this.gl.getContext('webgl2', { antialias: true, alpha: true, preserveDrawingBuffer: true }); } catch (e) { gl = null; }
    if (gl) {
      this.renderer = new THREE.WebGLRenderer({ canvas: this.gl, context: gl, alpha: true });
      this.renderer.gammaOutput = true;
      this.scene = new THREE.Scene();
      this.scene.add(new THREE.HemisphereLight(0xffffff, 0x9a8f7c, 0.85));
      const sun = new THREE.DirectionalLight(0xffffff, 0.55);
      sun.position.set(2, 4, 3);
      this.scene.add(sun);
      this.camera = new THREE.PerspectiveCamera(35, 1, 0.01, 1000);
      this.gl.addEventListener('webglcontextlost', (e) => e.preventDefault());
    }
    this.listen();
  }

  /** Puts a figure on the stage, `place` metres aside. */
  add(figure, place) {
    const actor = { figure, place, meshes: [] };
    if (this.renderer) {
      actor.group = new THREE.Group();
      actor.group.matrixAutoUpdate = false;
      this.scene.add(actor.group);
      const { json } = figure.file;
      (json.nodes || []).forEach((node, n) => {
        if (node.mesh === undefined) return;
        for (const primitive of json.meshes[node.mesh].primitives) {
          if ((primitive.mode === undefined ? 4 : primitive.mode) < 4) continue;
          const geometry = new THREE.BufferGeometry();
          const places = new THREE.BufferAttribute(new Float32Array(figure.file.accessor(primitive.attributes.POSITION).values), 3);
          places.setUsage(THREE.DynamicDrawUsage);
          geometry.setAttribute('position', places);
          const uv = primitive.attributes.TEXCOORD_0;
          if (uv !== undefined) geometry.setAttribute('uv', new THREE.BufferAttribute(Float32Array.from(figure.file.accessor(uv).values), 2));
          geometry.setIndex(this.triangles(figure, primitive, places.count));
          geometry.computeVertexNormals();
          const mesh = new THREE.Mesh(geometry, this.material(figure, primitive.material));
          mesh.frustumCulled = false;
          mesh.drawMode = 0;
          actor.group.add(mesh);
          actor.meshes.push({ node: n, primitive, mesh });
        }
      });
    }
    this.actors.push(actor);
    return actor;
  }

  /** Triangles of any mode as a list. */
  triangles(figure, primitive, count) {
    const given = primitive.indices === undefined ? Array.from({ length: count }, (_, i) => i) : Array.from(figure.file.accessor(primitive.indices).values);
    if (primitive.mode === undefined || primitive.mode === 4) return given;
    const out = [];
    for (let i = 2; i < given.length; ++i)
      out.push(...(primitive.mode === 6 ? [given[0], given[i - 1], given[i]] : i % 2 ? [given[i - 1], given[i - 2], given[i]] : [given[i - 2], given[i - 1], given[i]]));
    return out;
  }

  material(figure, index) {
    const given = index === undefined ? {} : figure.file.json.materials[index];
    const pbr = given.pbrMetallicRoughness || {}, color = pbr.baseColorFactor || [0.8, 0.8, 0.8, 1];
    const out = new THREE.MeshLambertMaterial({ color: new THREE.Color(color[0], color[1], color[2]), side: given.doubleSided ? THREE.DoubleSide : THREE.FrontSide });
    if (given.alphaMode === 'BLEND') { out.transparent = true; out.opacity = color[3]; }
    const texture = pbr.baseColorTexture && figure.file.json.textures[pbr.baseColorTexture.index];
    const image = texture && figure.file.json.images[texture.source];
    if (image && image.bufferView !== undefined) {
      const map = new THREE.Texture();
      map.encoding = THREE.sRGBEncoding;
      map.flipY = false;
      map.wrapS = map.wrapT = THREE.RepeatWrapping;
      map.image = new Image();
      map.image.onload = () => { map.needsUpdate = true; this.changed(); };
      map.image.onerror = () => { out.map = null; out.needsUpdate = true; this.changed(); };
      map.image.src = URL.createObjectURL(new Blob([figure.file.view(image.bufferView)], { type: image.mimeType }));
      out.map = map;
    }
    return out;
  }

  // ---- the camera

  look(from) {
    const [yaw, pitch] = { front: [0, 0], side: [-Math.PI / 2, 0], top: [Math.PI, Math.PI / 2 - 1e-4], quarter: [-0.9, 0.25] }[from];
    this.yaw = yaw; this.pitch = pitch; this.changed();
  }

  /** Everything in view, from a quarter unless it was turned. */
  home(distance) {
    const narrow = Math.max(1, this.box.clientHeight / Math.max(1, this.box.clientWidth));
    this.distance = distance * narrow;
    this.pan = [0, 0, 0];
    this.changed();
  }

  turn(yaw, pitch) {
    this.yaw += yaw;
    this.pitch = Math.max(-1.5, Math.min(Math.PI / 2 - 1e-4, this.pitch + pitch));
    this.changed();
  }

  /** Aside by pixels; what is followed is followed from there. */
  move(dx, dy) {
    const s = (2 * this.distance * Math.tan((35 * Math.PI) / 360)) / this.height, { right, up } = this.frame;
    this.pan = this.pan.map((x, i) => x - right[i] * dx * s + up[i] * dy * s);
    this.changed();
  }

  /** Between a twentieth of what is shown and thirty times of it. */
  near(factor) {
    this.distance = Math.max(this.size / 20, Math.min(this.size * 30, this.distance * factor));
    this.changed();
  }

  /** Whether a key moved the camera. */
  key(e) {
    const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key];
    if (by && e.shiftKey) this.move(-24 * by[0], -24 * by[1]);
    else if (by) this.turn(0.09 * by[0], -0.09 * by[1]);
    else if (e.key === '+' || e.key === '-') this.near(e.key === '+' ? 1 / 1.15 : 1.15);
    else return false;
    return true;
  }

  /** What is in the middle of the picture. */
  aim() { return this.target.map((x, i) => x + this.pan[i]); }

  eye() {
    const c = Math.cos(this.pitch);
    const away = [Math.sin(this.yaw) * c, Math.sin(this.pitch), Math.cos(this.yaw) * c];
    return this.aim().map((x, i) => x + away[i] * this.distance);
  }

  /** Pixels of a point of the page's world, and how far it is; null behind the eye. */
  project(p) {
    const { right, up, back, eye } = this.frame;
    const d = p.map((x, i) => x - eye[i]);
    const dot = (a) => a[0] * d[0] + a[1] * d[1] + a[2] * d[2], depth = -dot(back);
    if (depth < this.distance / 200) return null;
    const scale = this.height / 2 / Math.tan((35 * Math.PI) / 360) / depth;
    return [this.width / 2 + dot(right) * scale, this.height / 2 - dot(up) * scale, depth];
  }

  listen() {
    // Pointers that are down: one turns or moves, two move and bring near.
    const held = new Map();
    this.flat.addEventListener('contextmenu', (e) => e.preventDefault());
    this.flat.addEventListener('pointerdown', (e) => { held.set(e.pointerId, [e.clientX, e.clientY]); this.flat.setPointerCapture(e.pointerId); });
    for (const end of ['pointerup', 'pointercancel']) this.flat.addEventListener(end, (e) => held.delete(e.pointerId));
    this.flat.addEventListener('pointermove', (e) => {
      const before = held.get(e.pointerId);
      if (!before) return;
      const dx = e.clientX - before[0], dy = e.clientY - before[1], other = [...held].find(([id]) => id !== e.pointerId);
      held.set(e.pointerId, [e.clientX, e.clientY]);
      if (other) {
        const far = (p) => Math.hypot(p[0] - other[1][0], p[1] - other[1][1]);
        this.move(dx / 2, dy / 2);
        this.near(Math.max(1, far(before)) / Math.max(1, far([e.clientX, e.clientY])));
      } else if (e.buttons === 2 || e.shiftKey) this.move(dx, dy);
      else this.turn(-dx * 0.008, dy * 0.008);
    });
    this.flat.addEventListener('wheel', (e) => { e.preventDefault(); this.near(Math.exp(e.deltaY * 0.001)); }, { passive: false });
  }

  resize() {
    const ratio = window.devicePixelRatio || 1;
    const w = this.box.clientWidth, h = this.box.clientHeight;
    if (w === this.width && h === this.height) return;
    this.width = w; this.height = h;
    for (const layer of this.layers) {
      layer.canvas.width = w * ratio; layer.canvas.height = h * ratio;
      layer.setTransform(ratio, 0, 0, ratio, 0, 0);
    }
    if (this.renderer) { this.renderer.setPixelRatio(ratio); this.renderer.setSize(w, h, false); }
  }

  /** Draws all actors. `poses`: for each, { worlds, weights(node), above } with `above` over the file's world. */
  draw(poses, shown, below, overlay) {
    this.resize();
    const eye = this.eye(), aim = this.aim(), back = eye.map((x, i) => (x - aim[i]) / this.distance);
    let right = cross([0, 1, 0], back);
    const n = Math.hypot(...right) || 1;
    right = right.map((x) => x / n);
    this.frame = { eye, back, right, up: cross(back, right) };
    if (this.renderer) {
      this.actors.forEach((actor, i) => {
        const m = poses[i].page;
        actor.group.visible = shown.skin && !actor.figure.hidden;
        actor.group.matrix.set(m[0], m[3], m[6], m[9], m[1], m[4], m[7], m[10], m[2], m[5], m[8], m[11], 0, 0, 0, 1);
        actor.group.matrixWorldNeedsUpdate = true;
        if (!actor.group.visible) return;
        for (const { node, primitive, mesh } of actor.meshes) {
          mesh.geometry.attributes.position.array.set(actor.figure.vertices(node, primitive, poses[i].worlds, poses[i].weights(node)));
          mesh.geometry.attributes.position.needsUpdate = true;
          mesh.geometry.computeVertexNormals();
          mesh.material.wireframe = shown.wire;
        }
      });
      this.camera.aspect = this.width / this.height;
      this.camera.near = this.distance / 100; this.camera.far = this.distance * 100;
      this.camera.updateProjectionMatrix();
      this.camera.position.set(...eye);
      this.camera.up.set(...this.frame.up);
      this.camera.lookAt(...aim);
      this.renderer.render(this.scene, this.camera);
    }
    [below, overlay].forEach((paint, i) => {
      this.context = this.layers[i];
      this.context.clearRect(0, 0, this.width, this.height);
      if (paint) paint(this);
    });
  }

  line(points, color, width = 1.5, dash = []) {
    const c = this.context;
    c.strokeStyle = color; c.lineWidth = width; c.setLineDash(dash);
    c.beginPath();
    let pen = false;
    for (const p of points) {
      const at = this.project(p);
      if (at) { if (pen) c.lineTo(at[0], at[1]); else c.moveTo(at[0], at[1]); }
      pen = Boolean(at);
    }
    c.stroke();
    c.setLineDash([]);
  }

  word(p, text, color, dx = 4, dy = -4, font = '11px sans-serif') {
    const at = this.project(p);
    if (!at) return;
    this.context.fillStyle = color;
    this.context.font = font;
    this.context.fillText(text, at[0] + dx, at[1] + dy);
  }

  /** A name that is put where it covers no other when all are known: labels(). */
  label(p, text, ink, first = false, font = '11px sans-serif') {
    const at = this.project(p);
    if (at) (this.waiting = this.waiting || []).push({ at, text, ink, first, font });
  }

  /** Puts the names: those that matter first, then from near to far, each on a plate, with a line to what is further off. */
  labels() {
    const c = this.context, taken = [], all = (this.waiting || []).sort((a, b) => b.first - a.first || a.at[2] - b.at[2]);
    this.waiting = [];
    const free = (r) => r[0] >= 0 && r[1] >= 0 && r[2] <= this.width && r[3] <= this.height && taken.every((t) => r[2] <= t[0] || r[0] >= t[2] || r[3] <= t[1] || r[1] >= t[3]);
    for (const { at, text, ink, first, font } of all) {
      c.font = font;
      const w = c.measureText(text).width + 4, h = 14;
      let put = null;
      for (const far of [4, 18, 34, 52])
        for (const [x, y] of [[1, -1], [1, 1], [-1, -1], [-1, 1], [1, 0], [-1, 0], [0, -1], [0, 1]]) {
          const left = at[0] + x * far - (x < 0 ? w : x ? 0 : w / 2), top = at[1] + y * far - (y < 0 ? h : y ? 0 : h / 2), r = [left, top, left + w, top + h];
          if (!put && free(r)) put = { r, far };
        }
      if (!put && first) put = { r: [at[0] + 4, at[1] - 4 - h, at[0] + 4 + w, at[1] - 4], far: 4 };
      if (!put) continue;
      const [l, t, r, b] = put.r;
      taken.push(put.r);
      if (put.far > 4) { c.strokeStyle = ink; c.lineWidth = 0.6; c.setLineDash([]); c.beginPath(); c.moveTo(at[0], at[1]); c.lineTo(Math.max(l, Math.min(r, at[0])), Math.max(t, Math.min(b, at[1]))); c.stroke(); }
      c.globalAlpha = 0.82; c.fillStyle = getComputedStyle(document.documentElement).getPropertyValue('--paper'); c.fillRect(l, t, w, h); c.globalAlpha = 1;
      c.fillStyle = ink; c.fillText(text, l + 2, b - 3.5);
    }
  }

  dot(p, color, radius = 3) {
    const at = this.project(p);
    if (!at) return;
    this.context.fillStyle = color;
    this.context.beginPath();
    this.context.arc(at[0], at[1], radius, 0, 7);
    this.context.fill();
  }
}
