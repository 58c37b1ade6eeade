// Around: the set in its footage, orbited. Footage is laid on in the shader through the cameras that saw it, hidden by their own depth.
import { get } from './api.js';
import { on, state, tell } from './state.js';

const box = document.getElementById('around'),
  canvas = box.querySelector('canvas'),
  note = box.querySelector('.note');
const MOST = 4; // sources at once
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
const kept = []; // pictures and depths of the sources that are shown

const floats = (text, Type) => {
  const raw = atob(text),
    bytes = new Uint8Array(raw.length);
  for (let i = 0; i < raw.length; i++) bytes[i] = raw.charCodeAt(i);
  return new Type(bytes.buffer);
};

const vertex =
  'varying vec3 place; varying vec3 toEye; void main() { vec4 w = modelMatrix * vec4(position, 1.0); place = w.xyz; toEye = cameraPosition - w.xyz; gl_Position = projectionMatrix * viewMatrix * w; }';
const fragment = `
  varying vec3 place; varying vec3 toEye;
  uniform int count; uniform int look; uniform bool worn; uniform float cut;
  uniform mat4 into[${MOST}]; uniform vec4 focal[${MOST}]; uniform vec4 lens[${MOST}]; uniform vec3 eye[${MOST}]; uniform mat4 depthMatrix[${MOST}];
  uniform sampler2D picture[${MOST}]; uniform sampler2D depth[${MOST}]; uniform bool mine[${MOST}];
  vec4 one(sampler2D pic, sampler2D dep, mat4 m, mat4 dm, vec4 f, vec4 l, vec3 e, vec3 n) {
    vec3 c = (m * vec4(place, 1.0)).xyz;
    if (c.z > -0.01) return vec4(0.0);
    vec2 p = vec2(c.x, -c.y) / -c.z; float r2 = dot(p, p), s = 1.0 + r2 * (l.x + r2 * l.y);
    vec2 px = f.zw + f.xy * p * s;
    if (px.x < 0.0 || px.y < 0.0 || px.x > 1.0 || px.y > 1.0) return vec4(0.0);
    vec3 to = normalize(e - place); float facing = abs(dot(n, to));
    float reach = clamp((facing - l.w) / max(1e-3, l.z - l.w), 0.0, 1.0);
    vec4 q = dm * vec4(place, 1.0); vec2 d = q.xy / q.w * 0.5 + 0.5;
    float nearest = texture2D(dep, d).r;
    if (-c.z > nearest * 1.004 + 0.02) return vec4(0.0);
    vec4 t = texture2D(pic, vec2(px.x, 1.0 - px.y));
    return vec4(t.rgb, reach * t.a);
  }
  void main() {
    if (length(toEye) < cut) discard; // what stands between is cut away
    vec3 n = normalize(cross(dFdx(place), dFdy(place)));
    float light = 0.35 + 0.65 * abs(dot(n, normalize(toEye)));
    if (look == 1) { gl_FragColor = vec4(vec3(0.62 * light + 0.1), 1.0); return; }
    vec3 sum = vec3(0.0); float open = 1.0;
    if (worn) {
      ${Array.from({ length: MOST }, (_, i) => `if (count > ${i} && mine[${i}]) { vec4 c = one(picture[${i}], depth[${i}], into[${i}], depthMatrix[${i}], focal[${i}], lens[${i}], eye[${i}], n); sum += c.rgb * c.a * open; open *= 1.0 - c.a; }`).join('\n      ')}
    }
    float hatch = mod(floor(gl_FragCoord.x + gl_FragCoord.y), 9.0) < 1.0 ? 0.16 : 0.44 * light;
    gl_FragColor = vec4(sum + open * vec3(hatch), 1.0);
  }`;

async function begin() {
  three = await import('/lib/three.module.js');
  renderer = new three.WebGLRenderer({ canvas, antialias: true });
  renderer.outputColorSpace = three.LinearSRGBColorSpace; // the footage's codes are shown as they are
  renderer.setClearColor(0x777777);
  scene = new three.Scene();
  camera = new three.PerspectiveCamera(45, 1, 0.02, 2000);
  const many = (make) => Array.from({ length: MOST }, make);
  const blank = new three.DataTexture(new Uint8Array([90, 90, 90, 255]), 1, 1);
  blank.needsUpdate = true;
  material = new three.ShaderMaterial({
    vertexShader: vertex,
    fragmentShader: fragment,
    side: three.DoubleSide,
    uniforms: {
      count: { value: 0 },
      look: { value: 0 },
      worn: { value: true },
      cut: { value: 0 },
      into: { value: many(() => new three.Matrix4()) },
      focal: { value: many(() => new three.Vector4()) },
      lens: { value: many(() => new three.Vector4()) },
      eye: { value: many(() => new three.Vector3()) },
      depthMatrix: { value: many(() => new three.Matrix4()) },
      picture: { value: many(() => blank) },
      depth: { value: many(() => blank) },
      mine: { value: many(() => true) },
    },
  });
}

const matrix = (m) => new three.Matrix4().set(...m);

async function load() {
  const mine = ++asked;
  try {
    if (!three) await begin();
  } catch {
    three = null;
    tell('told', {
      message: 'The set cannot be shown around: this browser offers no WebGL.',
      mend: 'Switch hardware acceleration on, or use another browser.',
    });
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
  note.textContent = !data.pieces.length
    ? 'Nothing is built yet: the set is shown here once it has pieces (step 3).'
    : !data.cameras.length
      ? 'Nothing is projected yet; the set is shaded. Lay a frame on it at step 4.'
      : data.cameras.length > MOST
        ? `The first ${MOST} of ${data.cameras.length} projections are shown.`
        : '';
  await sources();
  if (!orbit) home();
  draw();
}

// Each source's picture, and the depth it saw: what lies behind that is hidden from it.
async function sources() {
  for (const k of kept.splice(0)) k.dispose();
  const used = data.cameras.slice(0, MOST);
  const depthOnly = new three.ShaderMaterial({
    side: three.DoubleSide,
    vertexShader:
      'varying float z; void main() { vec4 c = viewMatrix * modelMatrix * vec4(position, 1.0); z = -c.z; gl_Position = projectionMatrix * c; }',
    fragmentShader: 'varying float z; void main() { gl_FragColor = vec4(z, 0.0, 0.0, 1.0); }',
  });
  for (let i = 0; i < used.length; i++) {
    const c = used[i],
      pose = matrix(c.pose),
      wide = 1.25,
      eye = new three.PerspectiveCamera(
        (2 * Math.atan((wide * c.height) / (2 * c.fy)) * 180) / Math.PI,
        (c.width * c.fy) / (c.height * c.fx),
        0.05,
        2000,
      );
    eye.matrixAutoUpdate = false;
    eye.matrix.copy(pose);
    eye.updateMatrixWorld(true);
    const target = new three.WebGLRenderTarget(1024, 768, {
      type: three.FloatType,
      format: three.RedFormat,
      minFilter: three.NearestFilter,
      magFilter: three.NearestFilter,
    });
    for (const g of groups) {
      g.keep = g.mesh.material;
      g.mesh.material = depthOnly;
      g.wire.visible = false;
      g.mesh.visible = true;
    }
    renderer.setRenderTarget(target);
    renderer.setClearColor(0xffffff);
    renderer.clear();
    renderer.render(scene, eye);
    renderer.setRenderTarget(null);
    renderer.setClearColor(0x777777);
    for (const g of groups) {
      g.mesh.material = g.keep;
    }
    const response = await fetch(
      `/api/shots/${state.id}/projections/${encodeURIComponent(c.id)}/picture?frame=${c.frame}&seen=${state.seen}&revision=${state.revision}`,
    );
    const bitmap = await createImageBitmap(await response.blob(), { imageOrientation: 'flipY', premultiplyAlpha: 'none' }),
      texture = new three.Texture(bitmap);
    texture.flipY = false;
    texture.anisotropy = 8;
    texture.needsUpdate = true;
    kept.push(target, texture);
    const into = pose.clone().invert(),
      m = new three.Matrix4().multiplyMatrices(eye.projectionMatrix, into);
    for (const g of groups) {
      const u = g.mesh.material.uniforms;
      u.into.value[i].copy(into);
      u.depthMatrix.value[i].copy(m);
      u.focal.value[i].set(c.fx / c.width, c.fy / c.height, c.cx / c.width, c.cy / c.height);
      u.lens.value[i].set(c.k1, c.k2, Math.cos((c.fadeFrom * Math.PI) / 180), Math.cos((c.fadeTo * Math.PI) / 180));
      u.eye.value[i].setFromMatrixPosition(pose);
      u.picture.value[i] = texture;
      u.depth.value[i] = target.texture;
    }
  }
  for (const g of groups) g.mesh.material.uniforms.count.value = used.length;
}

// From where the shot camera is, turning about what it looks at.
function home() {
  const m = data.shot ? matrix(data.shot.pose) : null,
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
