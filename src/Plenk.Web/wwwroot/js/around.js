// Around: the set in its footage, orbited. Footage is laid on in the shader through the cameras that saw it, hidden by their own depth.
import { get } from './api.js';
import { footageMaterial, layOn, MOST } from './footage.js';
import { on, state, tell } from './state.js';
import { words } from './told.js';

const box = document.getElementById('around'),
  canvas = box.querySelector('canvas'),
  note = box.querySelector('.note');
let three = null,
  renderer,
  scene,
  camera,
  material,
  data = null,
  groups = [],
  orbit = null,
  look = 'footage',
  asked = 0,
  waiting = false;
const floats = (text, Type) => {
  const raw = atob(text),
    bytes = new Uint8Array(raw.length);
  for (let i = 0; i < raw.length; i++) bytes[i] = raw.charCodeAt(i);
  return new Type(bytes.buffer);
};

async function begin() {
  three = await import('/lib/three.module.js');
  renderer = new three.WebGLRenderer({ canvas, antialias: true });
  renderer.outputColorSpace = three.LinearSRGBColorSpace; // the footage's codes are shown as they are
  renderer.setClearColor(0x777777);
  scene = new three.Scene();
  camera = new three.PerspectiveCamera(45, 1, 0.02, 2000);
  material = footageMaterial(three);
}

async function load() {
  const mine = ++asked;
  try {
    if (!three) await begin();
  } catch {
    three = null;
    tell('told', words('no-webgl'));
    return;
  }
  try {
    const next = await get(`/api/shots/${state.id}/around?revision=${state.revision}&frame=${state.frame}`);
    if (mine !== asked) return;
    data = next;
  } catch (e) {
    tell('told', e);
    return;
  }
  for (const g of groups) {
    scene.remove(g.mesh, g.wire);
    for (const part of [g.mesh, g.wire]) {
      part.geometry.dispose();
      part.material.dispose();
    }
  }
  groups = [];
  for (const p of data.pieces) {
    if (p.onlyBlocksLight) continue;
    const geometry = new three.BufferGeometry();
    geometry.setAttribute('position', new three.BufferAttribute(floats(p.positions, Float32Array), 3));
    geometry.setIndex(new three.BufferAttribute(floats(p.indices, Uint32Array), 1));
    const own = material.clone();
    own.uniforms.worn.value = p.wearsFootage;
    own.uniforms.mine.value = Array.from(
      { length: MOST },
      (_, i) => !data.cameras[i]?.pieces?.length || data.cameras[i].pieces.includes(p.id),
    );
    const mesh = new three.Mesh(geometry, own),
      wire = new three.LineSegments(new three.EdgesGeometry(geometry, 25), new three.LineBasicMaterial({ color: 0x15181b }));
    groups.push({ mesh, wire });
    scene.add(mesh, wire);
  }
  const { length } = data.cameras,
    why = !data.pieces.length ? 'around-no-set' : !length ? 'around-no-footage' : length > MOST ? 'around-first' : null;
  note.textContent = why ? words(why, { most: MOST, all: length }).message : '';
  await layOn(three, renderer, scene, groups, data.cameras);
  if (!orbit) home();
  draw();
}

// From where the shot camera is, turning about what it looks at.
function home() {
  const m = data.shot ? new three.Matrix4().set(...data.shot.pose) : null,
    at = m ? new three.Vector3().setFromMatrixPosition(m) : new three.Vector3(0, 3, 8),
    ahead = m ? new three.Vector3(0, 0, -1).transformDirection(m) : new three.Vector3(0, -0.2, -1);
  const ray = new three.Raycaster(at, ahead),
    hit = ray.intersectObjects(groups.map((g) => g.mesh))[0],
    far = (hit ? hit.distance : 12) / 2;
  if (data.shot) camera.fov = data.shot.fovDegrees;
  orbit = {
    centre: at.clone().addScaledVector(ahead, far),
    far,
    azimuth: Math.atan2(-ahead.x, -ahead.z),
    up: Math.asin(Math.max(-1, Math.min(1, -ahead.y))),
  };
  orbit.home = [orbit.azimuth, orbit.up];
}

function draw() {
  if (waiting || state.way !== 'around' || !data || !orbit) return;
  waiting = true;
  requestAnimationFrame(() => {
    waiting = false;
    const r = box.getBoundingClientRect();
    renderer.setPixelRatio(devicePixelRatio || 1);
    renderer.setSize(r.width, r.height, false);
    camera.aspect = r.width / r.height;
    camera.updateProjectionMatrix();
    const { centre, far, azimuth, up } = orbit;
    camera.position.set(
      centre.x + far * Math.cos(up) * Math.sin(azimuth),
      centre.y + far * Math.sin(up),
      centre.z + far * Math.cos(up) * Math.cos(azimuth),
    );
    camera.lookAt(centre);
    for (const g of groups) {
      g.mesh.visible = look !== 'wires';
      g.wire.visible = look === 'wires' || look === 'shaded';
      g.mesh.material.uniforms.cut.value = orbit.far * Math.min(0.6, 1.2 * Math.hypot(azimuth - orbit.home[0], up - orbit.home[1]));
      g.mesh.material.uniforms.look.value = look === 'footage' && data.cameras.length ? 0 : 1;
    }
    renderer.render(scene, camera);
    box.dataset.drawn = String(Number(box.dataset.drawn || 0) + 1);
  });
}

let held = null;
canvas.addEventListener('pointerdown', (e) => {
  held = { x: e.clientX, y: e.clientY, pan: e.shiftKey || e.button === 1 };
  canvas.setPointerCapture(e.pointerId);
});
canvas.addEventListener('pointermove', (e) => {
  if (!held || !orbit) return;
  const dx = e.clientX - held.x,
    dy = e.clientY - held.y;
  Object.assign(held, { x: e.clientX, y: e.clientY });
  if (held.pan) {
    const step = (orbit.far * 2 * Math.tan((camera.fov * Math.PI) / 360)) / box.clientHeight;
    orbit.centre
      .addScaledVector(new three.Vector3(1, 0, 0).transformDirection(camera.matrixWorld), -dx * step)
      .addScaledVector(new three.Vector3(0, 1, 0).transformDirection(camera.matrixWorld), dy * step);
  } else {
    orbit.azimuth -= dx * 0.006;
    orbit.up = Math.max(-1.55, Math.min(1.55, orbit.up + dy * 0.006));
  }
  draw();
});
canvas.addEventListener('pointerup', () => {
  held = null;
});
canvas.addEventListener(
  'wheel',
  (e) => {
    e.preventDefault();
    if (orbit) {
      orbit.far = Math.max(0.05, Math.min(1500, orbit.far * 1.15 ** (e.deltaY / 100)));
      draw();
    }
  },
  { passive: false },
);
canvas.addEventListener('keydown', (e) => {
  const turn = { ArrowLeft: [0.1, 0], ArrowRight: [-0.1, 0], ArrowUp: [0, 0.08], ArrowDown: [0, -0.08] }[e.key];
  if (!turn || !orbit) return;
  orbit.azimuth += turn[0];
  orbit.up = Math.max(-1.55, Math.min(1.55, orbit.up + turn[1]));
  e.preventDefault();
  e.stopPropagation();
  draw();
});
for (const b of box.querySelectorAll('[data-look]'))
  b.addEventListener('click', () => {
    look = b.dataset.look;
    for (const o of box.querySelectorAll('[data-look]')) o.setAttribute('aria-pressed', String(o === b));
    draw();
  });
box.querySelector('[data-home]').addEventListener('click', () => {
  if (data) {
    home();
    draw();
  }
});

on('way', () => {
  if (state.way === 'around') load();
});
on('document', () => {
  if (state.way === 'around') load();
});
on('frame', () => {
  if (state.way === 'around' && !state.playing) load();
});
addEventListener('resize', draw);
