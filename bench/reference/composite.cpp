// A second opinion on one shot's contact: an element in a set under a sun and an even sky, by brute force over the reference ray kernel.
// It shares nothing with what it judges but the files: it reads the OBJ meshes itself, has its own lens, random numbers and sums.
// usage: composite SET.obj ELEMENT.obj SCENE.txt SAMPLES OUT.raw
// SCENE.txt: width height focal cx cy k1 k2, camera_to_world (16, row-major), sun direction (3), sun diameter in degrees, sun irradiance (3), sky radiance (3).
// OUT.raw: floats, five a pixel: ratio R G B, coverage before and after what the set hides.
#include <embree3/rtcore.h>
#include <algorithm>
#include <cmath>
#include <cstdio>
#include <fstream>
#include <limits>
#include <random>
#include <sstream>
#include <string>
#include <thread>
#include <vector>

struct V { double x, y, z; };
static V operator+(V a, V b) { return {a.x + b.x, a.y + b.y, a.z + b.z}; }
static V operator*(double s, V a) { return {s * a.x, s * a.y, s * a.z}; }
static double dot(V a, V b) { return a.x * b.x + a.y * b.y + a.z * b.z; }
static V cross(V a, V b) { return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x}; }
static V unit(V a) { return (1 / std::sqrt(dot(a, a))) * a; }

static RTCScene load(RTCDevice device, const char* file) {
  std::vector<V> points;
  std::vector<unsigned> faces;
  std::ifstream in(file);
  for (std::string line; std::getline(in, line);) {
    std::istringstream words(line);
    std::string key;
    words >> key;
    if (key == "v") { V p; words >> p.x >> p.y >> p.z; points.push_back(p); }
    if (key == "f") {
      std::vector<unsigned> corner;
      for (std::string w; words >> w;) corner.push_back(std::stoi(w) - 1);
      for (size_t i = 2; i < corner.size(); i++) faces.insert(faces.end(), {corner[0], corner[i - 1], corner[i]});
    }
  }
  RTCScene scene = rtcNewScene(device);
  rtcSetSceneFlags(scene, RTC_SCENE_FLAG_ROBUST);
  RTCGeometry mesh = rtcNewGeometry(device, RTC_GEOMETRY_TYPE_TRIANGLE);
  float* v = (float*)rtcSetNewGeometryBuffer(mesh, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3, 12, points.size());
  for (V p : points) { *v++ = p.x; *v++ = p.y; *v++ = p.z; }
  unsigned* t = (unsigned*)rtcSetNewGeometryBuffer(mesh, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, 12, faces.size() / 3);
  std::copy(faces.begin(), faces.end(), t);
  rtcCommitGeometry(mesh);
  rtcAttachGeometry(scene, mesh);
  rtcCommitScene(scene);
  return scene;
}

static bool blocked(RTCScene scene, V o, V d) {
  RTCIntersectContext context;
  rtcInitIntersectContext(&context);
  RTCRay ray{};
  ray.org_x = o.x; ray.org_y = o.y; ray.org_z = o.z;
  ray.dir_x = d.x; ray.dir_y = d.y; ray.dir_z = d.z;
  ray.tnear = 0; ray.tfar = std::numeric_limits<float>::infinity(); ray.mask = -1;
  rtcOccluded1(scene, &context, &ray);
  return ray.tfar < 0;
}

static float nearest(RTCScene scene, V o, V d, V& normal) {
  RTCIntersectContext context;
  rtcInitIntersectContext(&context);
  RTCRayHit hit{};
  hit.ray.org_x = o.x; hit.ray.org_y = o.y; hit.ray.org_z = o.z;
  hit.ray.dir_x = d.x; hit.ray.dir_y = d.y; hit.ray.dir_z = d.z;
  hit.ray.tnear = 0; hit.ray.tfar = std::numeric_limits<float>::infinity(); hit.ray.mask = -1;
  hit.hit.geomID = RTC_INVALID_GEOMETRY_ID;
  rtcIntersect1(scene, &context, &hit);
  if (hit.hit.geomID == RTC_INVALID_GEOMETRY_ID) return std::numeric_limits<float>::infinity();
  normal = unit({hit.hit.Ng_x, hit.hit.Ng_y, hit.hit.Ng_z});
  if (dot(normal, d) > 0) normal = -1.0 * normal;
  return hit.ray.tfar;
}

static void frame(V n, V& u, V& v) {
  u = unit(std::abs(n.x) < 0.7 ? cross(n, {1, 0, 0}) : cross(n, {0, 1, 0}));
  v = cross(n, u);
}

int main(int, char** argv) {
  RTCDevice device = rtcNewDevice(nullptr);
  RTCScene set = load(device, argv[1]), element = load(device, argv[2]);
  std::ifstream in(argv[3]);
  int width, height;
  double focal, cx, cy, k1, k2, m[16], diameter;
  V sun;
  double irradiance[3], sky[3];
  in >> width >> height >> focal >> cx >> cy >> k1 >> k2;
  for (double& e : m) in >> e;
  in >> sun.x >> sun.y >> sun.z >> diameter;
  for (double& e : irradiance) in >> e;
  for (double& e : sky) in >> e;
  if (!in) return 2;
  const int samples = std::stoi(argv[4]);
  const double pi = std::acos(-1.0), cosDisk = std::cos(diameter / 2 * pi / 180);
  const V eye{m[3], m[7], m[11]};
  sun = unit(sun);
  std::vector<float> out(5 * (size_t)width * height);
  auto rows = [&](int first, int step) {
    for (int y = first; y < height; y += step) {
      std::mt19937_64 random(y);
      std::uniform_real_distribution<double> uniform(0, 1);
      for (int x = 0; x < width; x++) {
        double e0[3] = {}, e1[3] = {};
        int receivers = 0, before = 0, after = 0;
        int taken = 0;
        // Where the first of them see nothing of the element, nor of its shadow, more would tell nothing.
        for (; taken < samples && (taken < 96 || (before > 0 && before < taken) || e1[0] < 0.995 * e0[0]); taken++) {
          // Undone by Newton's method on the radius.
          double px = (x + uniform(random) - cx) / focal, py = (y + uniform(random) - cy) / focal, rd = std::hypot(px, py), r = rd;
          for (int k = 0; k < 30; k++) {
            double r2 = r * r;
            r -= (r * (1 + k1 * r2 + k2 * r2 * r2) - rd) / (1 + 3 * k1 * r2 + 5 * k2 * r2 * r2);
          }
          double s = rd > 0 ? r / rd : 1;
          V c{px * s, -py * s, -1}, d = unit({m[0] * c.x + m[1] * c.y + m[2] * c.z, m[4] * c.x + m[5] * c.y + m[6] * c.z, m[8] * c.x + m[9] * c.y + m[10] * c.z});
          V n, own;
          float t = nearest(set, eye, d, n), te = nearest(element, eye, d, own);
          if (std::isfinite(te)) { before++; after += te < t; }
          if (!std::isfinite(t)) continue;
          receivers++;
          V p = eye + (double)t * d + 3e-4 * n, u, v;
          auto light = [&](V towards, const double* by, double factor) {
            if (blocked(set, p, towards)) return;
            bool open = !blocked(element, p, towards);
            for (int k = 0; k < 3; k++) { e0[k] += factor * by[k]; if (open) e1[k] += factor * by[k]; }
          };
          frame(sun, u, v);
          double z = 1 - uniform(random) * (1 - cosDisk), a = 2 * pi * uniform(random), q = std::sqrt(1 - z * z);
          V towards = z * sun + (q * std::cos(a)) * u + (q * std::sin(a)) * v;
          if (dot(towards, n) > 0) light(towards, irradiance, dot(towards, n));
          frame(n, u, v);
          for (int k = 0; k < 2; k++) {
            double z2 = uniform(random), b = 2 * pi * uniform(random), w = std::sqrt(z2);
            light(std::sqrt(1 - z2) * n + (w * std::cos(b)) * u + (w * std::sin(b)) * v, sky, pi / 2);
          }
        }
        float* o = &out[5 * ((size_t)y * width + x)];
        double share = (double)receivers / taken;
        for (int k = 0; k < 3; k++) o[k] = e0[k] > 0 ? share * e1[k] / e0[k] + 1 - share : 1;
        o[3] = (float)before / taken;
        o[4] = (float)after / taken;
      }
    }
  };
  std::vector<std::thread> threads;
  int count = std::max(1u, std::thread::hardware_concurrency());
  for (int k = 0; k < count; k++) threads.emplace_back(rows, k, count);
  for (auto& t : threads) t.join();
  FILE* f = fopen(argv[5], "wb");
  fwrite(out.data(), 4, out.size(), f);
  fclose(f);
}
