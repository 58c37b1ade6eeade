// Footage on the set around: laid on in the shader through the cameras that saw it, hidden from each by the depth it saw.
import { state } from './state.js';

export const MOST = 4; // sources at once
const kept = []; // pictures and depths of the sources that are shown

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

export function footageMaterial(three) {
  const many = (make) => Array.from({ length: MOST }, make);
  const blank = new three.DataTexture(new Uint8Array([90, 90, 90, 255]), 1, 1);
  blank.needsUpdate = true;
  return new three.ShaderMaterial({
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

// Each source's picture, and the depth it saw: what lies behind that is hidden from it.
export async function layOn(three, renderer, scene, groups, cameras) {
  for (const k of kept.splice(0)) k.dispose();
  const used = cameras.slice(0, MOST);
  const depthOnly = new three.ShaderMaterial({
    side: three.DoubleSide,
    vertexShader:
      'varying float z; void main() { vec4 c = viewMatrix * modelMatrix * vec4(position, 1.0); z = -c.z; gl_Position = projectionMatrix * c; }',
    fragmentShader: 'varying float z; void main() { gl_FragColor = vec4(z, 0.0, 0.0, 1.0); }',
  });
  for (let i = 0; i < used.length; i++) {
    const c = used[i],
      pose = new three.Matrix4().set(...c.pose),
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
