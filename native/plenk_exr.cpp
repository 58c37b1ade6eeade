// A small C ABI over OpenEXR's C++ interface: float planes in, float planes out, one part at a time.
// Every function returns 0, or 1 with a message in `error`.
#include <ImfChannelList.h>
#include <ImfFrameBuffer.h>
#include <ImfHeader.h>
#include <ImfChromaticitiesAttribute.h>
#include <ImfFloatAttribute.h>
#include <ImfIO.h>
#include <ImfInputPart.h>
#include <ImfMultiPartInputFile.h>
#include <ImfMultiPartOutputFile.h>
#include <ImfOutputPart.h>
#include <ImfOutputFile.h>
#include <ImfPartType.h>
#include <ImfStringAttribute.h>
#include <ImfRationalAttribute.h>
#include <ImfMatrixAttribute.h>
#include <algorithm>
#include <cstring>
#include <exception>
#include <memory>
#include <stdexcept>
#include <string>
#include <vector>

using namespace OPENEXR_IMF_NAMESPACE;
using IMATH_NAMESPACE::Box2i;
using IMATH_NAMESPACE::V2i;

static int fail(char* error, int size, const char* what) {
  std::strncpy(error, what, size - 1);
  error[size - 1] = 0;
  return 1;
}

extern "C" {

// Channels are planes of width*height floats; half[i] != 0 stores plane i as half. compression: 0 none, 2 zips, 3 zip, 4 piz.
// window: data min x, min y, then display width, height, its corner being (0, 0). numbers: 8 chromaticities, 16 of worldToCamera, 16 of
// worldToNDC (row vectors), each block preceded by 1 where it is given. partOf[i] is the part that channel i goes to, attributeOf[i] the
// part that attribute i stands in, -1 for all.
int plenk_exr_write(const char* path, int width, int height, const int* window, int count, const char** names, const float** planes,
                    const int* half, const int* partOf, int partCount, const char** partNames, int compression, int rateNum, int rateDen,
                    const float* numbers, int attributes, const char** keys, const char** values, const int* attributeOf, char* error,
                    int errorSize) {
  try {
    Header header(Box2i(V2i(0, 0), V2i(window[2] - 1, window[3] - 1)), Box2i(V2i(window[0], window[1]), V2i(window[0] + width - 1, window[1] + height - 1)));
    header.compression() = static_cast<Compression>(compression);
    if (rateDen > 0) header.insert("framesPerSecond", RationalAttribute(Rational(rateNum, rateDen)));
    for (int i = 0; i < attributes; ++i)
      if (attributeOf[i] < 0) header.insert(keys[i], StringAttribute(values[i]));
    if (numbers[0] != 0) {
      const float* c = numbers + 1;
      header.insert("chromaticities", ChromaticitiesAttribute(Chromaticities(IMATH_NAMESPACE::V2f(c[0], c[1]), IMATH_NAMESPACE::V2f(c[2], c[3]), IMATH_NAMESPACE::V2f(c[4], c[5]), IMATH_NAMESPACE::V2f(c[6], c[7]))));
    }
    const char* matrixNames[2] = {"worldToCamera", "worldToNDC"};
    for (int k = 0; k < 2; ++k) {
      const float* m = numbers + 9 + 17 * k;
      if (m[0] == 0) continue;
      IMATH_NAMESPACE::M44f matrix;
      for (int i = 0; i < 16; ++i) matrix[i / 4][i % 4] = m[1 + i];
      header.insert(matrixNames[k], M44fAttribute(matrix));
    }
    std::vector<Header> headers(partCount, header);
    for (int i = 0; i < attributes; ++i)
      if (attributeOf[i] >= 0) headers[attributeOf[i]].insert(keys[i], StringAttribute(values[i]));
    std::vector<FrameBuffer> buffers(partCount);
    std::vector<std::vector<IMATH_NAMESPACE::half>> halves(count);
    for (int i = 0; i < count; ++i) {
      Header& header = headers[partOf[i]];
      FrameBuffer& buffer = buffers[partOf[i]];
      const ptrdiff_t corner = ptrdiff_t(window[1]) * width + window[0];
      if (half[i]) {
        halves[i].resize(size_t(width) * height);
        for (size_t k = 0; k < halves[i].size(); ++k) {
          float f = planes[i][k];
          halves[i][k] = f > 65504.f ? 65504.f : f < -65504.f ? -65504.f : f;
        }
        header.channels().insert(names[i], Channel(HALF));
        buffer.insert(names[i], Slice(HALF, reinterpret_cast<char*>(halves[i].data()) - corner * 2, 2, size_t(width) * 2));
      } else {
        header.channels().insert(names[i], Channel(FLOAT));
        buffer.insert(names[i], Slice(FLOAT, reinterpret_cast<char*>(const_cast<float*>(planes[i])) - corner * 4, 4, size_t(width) * 4));
      }
    }
    if (partCount == 1) {
      OutputFile file(path, headers[0]);
      file.setFrameBuffer(buffers[0]);
      file.writePixels(height);
      return 0;
    }
    for (int p = 0; p < partCount; ++p) {
      headers[p].setName(partNames[p]);
      headers[p].setType(SCANLINEIMAGE);
    }
    MultiPartOutputFile file(path, headers.data(), partCount);
    for (int p = 0; p < partCount; ++p) {
      OutputPart part(file, p);
      part.setFrameBuffer(buffers[p]);
      part.writePixels(height);
    }
    return 0;
  } catch (const std::exception& e) {
    return fail(error, errorSize, e.what());
  }
}

// A file that lies in memory; it is not copied.
struct Memory : public OPENEXR_IMF_NAMESPACE::IStream {
  const char* bytes;
  uint64_t size, at = 0;
  Memory(const char* name, const char* b, uint64_t n) : IStream(name), bytes(b), size(n) {}
  bool read(char c[], int n) override {
    if (n < 0 || uint64_t(n) > size - at) throw std::runtime_error("it ends early");
    std::memcpy(c, bytes + at, n);
    at += n;
    return at < size;
  }
  uint64_t tellg() override { return at; }
  void seekg(uint64_t p) override {
    if (p > size) throw std::runtime_error("it ends early");
    at = p;
  }
};

struct Reader {
  std::unique_ptr<Memory> memory; // before the file that reads it
  MultiPartInputFile file;
  std::vector<std::string> names;
  std::vector<int> parts;
  std::vector<std::string> inPart;
  Box2i data, display;
  std::vector<std::string> keys, values, owners; // of attributes; the owner is their part's name
  bool hasPrimaries = false;
  Chromaticities primaries;
  explicit Reader(std::unique_ptr<Memory> m) : memory(std::move(m)), file(*memory) {
    for (int p = 0; p < file.parts(); ++p) {
      const Header& h = file.header(p);
      if (h.hasType() && isDeepData(h.type())) throw std::runtime_error("deep pictures are not taken");
      for (Header::ConstIterator a = h.begin(); a != h.end(); ++a) {
        if (auto* s = dynamic_cast<const StringAttribute*>(&a.attribute())) { keys.push_back(a.name()); values.push_back(s->value()); owners.push_back(h.hasName() ? h.name() : ""); }
        auto* c = dynamic_cast<const ChromaticitiesAttribute*>(&a.attribute());
        if (c && !hasPrimaries && std::string(a.name()) == "chromaticities") { hasPrimaries = true; primaries = c->value(); }
      }
      if (p == 0) { data = h.dataWindow(); display = h.displayWindow(); }
      else data.extendBy(h.dataWindow());
      for (ChannelList::ConstIterator c = h.channels().begin(); c != h.channels().end(); ++c) {
        if (c.channel().xSampling != 1 || c.channel().ySampling != 1) continue;
        std::string n = c.name();
        if (h.hasName() && file.parts() > 1 && n.find('.') == std::string::npos) n = h.name() + "." + n;
        names.push_back(n);
        inPart.push_back(c.name());
        parts.push_back(p);
      }
    }
  }
};

// window: data min x, min y, max x, max y, then display min x, min y, max x, max y (inclusive).
// The bytes must stay where they are until it is closed; name is what messages say.
int plenk_exr_open(const char* name, const char* bytes, int64_t size, void** handle, int* window, int* count, char* error, int errorSize) {
  try {
    auto* r = new Reader(std::make_unique<Memory>(name, bytes, uint64_t(size)));
    int w[8] = {r->data.min.x, r->data.min.y, r->data.max.x, r->data.max.y,
                r->display.min.x, r->display.min.y, r->display.max.x, r->display.max.y};
    std::copy(w, w + 8, window);
    *count = int(r->names.size());
    *handle = r;
    return 0;
  } catch (const std::exception& e) {
    return fail(error, errorSize, e.what());
  }
}

const char* plenk_exr_channel(void* handle, int i) { return static_cast<Reader*>(handle)->names[i].c_str(); }

int plenk_exr_attributes(void* handle) { return int(static_cast<Reader*>(handle)->keys.size()); }
const char* plenk_exr_key(void* handle, int i) { return static_cast<Reader*>(handle)->keys[i].c_str(); }
const char* plenk_exr_owner(void* handle, int i) { return static_cast<Reader*>(handle)->owners[i].c_str(); }
const char* plenk_exr_value(void* handle, int i) { return static_cast<Reader*>(handle)->values[i].c_str(); }

// x, y of red, green, blue and white, of the first part that says them; 0 where none does.
int plenk_exr_chromaticities(void* handle, float* xy) {
  auto* r = static_cast<Reader*>(handle);
  if (!r->hasPrimaries) return 0;
  const IMATH_NAMESPACE::V2f all[4] = {r->primaries.red, r->primaries.green, r->primaries.blue, r->primaries.white};
  for (int i = 0; i < 4; ++i) { xy[2 * i] = all[i].x; xy[2 * i + 1] = all[i].y; }
  return 1;
}

// Fills a plane for every channel, each covering the data window of all parts; a part is decoded once.
int plenk_exr_read(void* handle, float** planes, char* error, int errorSize) {
  try {
    auto* r = static_cast<Reader*>(handle);
    int width = r->data.max.x - r->data.min.x + 1;
    for (int p = 0; p < r->file.parts(); ++p) {
      FrameBuffer buffer;
      bool any = false;
      for (size_t i = 0; i < r->parts.size(); ++i) {
        if (r->parts[i] != p) continue;
        any = true;
        char* base = reinterpret_cast<char*>(planes[i]) - (ptrdiff_t(r->data.min.y) * width + r->data.min.x) * 4;
        buffer.insert(r->inPart[i], Slice(FLOAT, base, 4, size_t(width) * 4, 1, 1, 0.0));
      }
      if (!any) continue;
      InputPart part(r->file, p);
      const Box2i& w = part.header().dataWindow();
      part.setFrameBuffer(buffer);
      part.readPixels(w.min.y, w.max.y);
    }
    return 0;
  } catch (const std::exception& e) {
    return fail(error, errorSize, e.what());
  }
}

void plenk_exr_close(void* handle) { delete static_cast<Reader*>(handle); }
}
