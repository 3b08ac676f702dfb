// fuzz_inputs.h - spoilt pictures, recipes, calibrations and command lines: each is taken or refused by name, never
// more.
//
// Input   a kind, a seed; one seed is one input, the same on every machine.
// Output  what is wrong with the program's answer, or nothing: a refusal that names no file or says nothing, an input
//         that is taken and cannot be worked on. Crashes, hangs and memory are for the caller to watch (sanitizers, a
//         clock, a limit).
#pragma once
#include "base/zip.h"
#include "cli/commands.h"
#include "demo/reed_plate.h"
#include "demo/render.h"
#include "image/decode.h"
#include "inspect/inspect.h"
#include "recipe/calibration_file.h"
#include "recipe/recipe_file.h"
#include "recipe/soundness.h"

#include <cstdio>
#include <filesystem>
#include <jpeglib.h>
#include <nlohmann/json.hpp>
#include <sstream>
#include <tiffio.h>

namespace fuzz_inputs
{
using nlohmann::json;
namespace fs = std::filesystem;

// ---- pictures that are whole
inline image::Image patterned(int w, int h, image::PixelFormat format)
{
    image::Image p(w, h, format);
    for (int y = 0; y < h; ++y)
        for (std::size_t i = 0; i < p.rowBytes(); ++i) p.row(y)[i] = std::uint8_t(i * 7 + std::size_t(y) * 13);
    return p;
}
inline std::string jpegBytes(int components, bool progressive)
{
    jpeg_compress_struct c{};
    jpeg_error_mgr e{};
    c.err = jpeg_std_error(&e);
    jpeg_create_compress(&c);
    unsigned char* out = nullptr;
    unsigned long size = 0;
    jpeg_mem_dest(&c, &out, &size);
    c.image_width = 40, c.image_height = 28, c.input_components = components;
    c.in_color_space = components == 1 ? JCS_GRAYSCALE : JCS_RGB;
    jpeg_set_defaults(&c);
    if (progressive) jpeg_simple_progression(&c);
    jpeg_start_compress(&c, TRUE);
    // An EXIF block that states an orientation.
    static const unsigned char exif[] = {'E',  'x',  'i', 'f', 0, 0, 'M', 'M', 0, 42, 0, 0, 0, 8, 0, 1,
                                         0x01, 0x12, 0,   3,   0, 0, 0,   1,   0, 6,  0, 0, 0, 0, 0, 0};
    jpeg_write_marker(&c, JPEG_APP0 + 1, exif, sizeof exif);
    std::vector<JSAMPLE> line(std::size_t(40 * components));
    for (int y = 0; y < 28; ++y) {
        for (std::size_t x = 0; x < line.size(); ++x) line[x] = JSAMPLE(x * 5 + std::size_t(y) * 3);
        JSAMPROW row = line.data();
        jpeg_write_scanlines(&c, &row, 1);
    }
    jpeg_finish_compress(&c);
    std::string bytes(reinterpret_cast<char*>(out), size);
    jpeg_destroy_compress(&c);
    std::free(out);
    return bytes;
}
inline std::string tiffBytes(const std::string& folder, int bits, int samples, bool tiled, int packing)
{
    const std::string path = folder + "/whole.tif";
    TIFF* t = TIFFOpen(path.c_str(), "w");
    if (!t) return {};
    TIFFSetField(t, TIFFTAG_IMAGEWIDTH, 48), TIFFSetField(t, TIFFTAG_IMAGELENGTH, 32);
    TIFFSetField(t, TIFFTAG_BITSPERSAMPLE, bits), TIFFSetField(t, TIFFTAG_SAMPLESPERPIXEL, samples);
    TIFFSetField(t, TIFFTAG_PHOTOMETRIC, samples == 3 ? PHOTOMETRIC_RGB : PHOTOMETRIC_MINISBLACK);
    TIFFSetField(t, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG), TIFFSetField(t, TIFFTAG_COMPRESSION, packing);
    TIFFSetField(t, TIFFTAG_ORIENTATION, 6);
    std::vector<std::uint8_t> data(16 * 16 * 6 + 48 * 6);
    for (std::size_t i = 0; i < data.size(); ++i) data[i] = std::uint8_t(i * 3);
    if (tiled) {
        TIFFSetField(t, TIFFTAG_TILEWIDTH, 16), TIFFSetField(t, TIFFTAG_TILELENGTH, 16);
        for (std::uint32_t y = 0; y < 32; y += 16)
            for (std::uint32_t x = 0; x < 48; x += 16) TIFFWriteTile(t, data.data(), x, y, 0, 0);
    } else {
        TIFFSetField(t, TIFFTAG_ROWSPERSTRIP, 8);
        for (std::uint32_t y = 0; y < 32; ++y) TIFFWriteScanline(t, data.data(), y, 0);
    }
    TIFFClose(t);
    return base::readFile(path).value_or("");
}
inline const std::vector<std::string>& wholePictures(const std::string& folder)
{
    static const std::vector<std::string> all = [&] {
        using image::PixelFormat;
        std::vector<std::string> out;
        for (const PixelFormat f :
             {PixelFormat::Grey8, PixelFormat::Grey16, PixelFormat::Colour8, PixelFormat::Colour16})
            out.push_back(*image::encodePng(patterned(33, 21, f)));
        for (const int components : {1, 3})
            for (const bool progressive : {false, true}) out.push_back(jpegBytes(components, progressive));
        for (const bool tiled : {false, true})
            for (const int packing :
                 {COMPRESSION_NONE, COMPRESSION_LZW, COMPRESSION_PACKBITS, COMPRESSION_ADOBE_DEFLATE})
                for (const int samples : {1, 3})
                    out.push_back(tiffBytes(folder, samples == 1 && packing == COMPRESSION_NONE ? 16 : 8, samples,
                                            tiled, packing));
        out.erase(std::remove(out.begin(), out.end(), std::string()), out.end());
        return out;
    }();
    return all;
}

// ---- spoiling
inline void spoilBytes(std::string& b, demo::Random& r, std::size_t from = 0)
{
    const int edits = 1 + r.below(6);
    for (int e = 0; e < edits && b.size() > from; ++e) {
        const std::size_t at = from + std::size_t(r.bits() % (b.size() - from));
        static const std::uint32_t numbers[] = {0,       1,          2,           0x7f,        0xff,   0x7fff,   0xffff,
                                                0x10000, 0x7fffffff, 0x80000000u, 0xffffffffu, 100000, 400000000};
        switch (r.below(7)) {
        case 0: b[at] = char(b[at] ^ (1 << r.below(8))); break;
        case 1: b[at] = char(r.bits()); break;
        case 2: b.resize(at); break;
        case 3: b.insert(at, std::size_t(1 + r.below(40)), char(r.bits())); break;
        case 4: b.erase(at, std::size_t(1 + r.below(40))); break;
        case 5:
            b.insert(at, b.substr(from + std::size_t(r.bits() % (b.size() - from)), std::size_t(1 + r.below(60))));
            break;
        default: { // a hostile number of two or four bytes, either way round
            const std::uint32_t n = numbers[r.below(int(std::size(numbers)))];
            const int bytes = r.below(2) ? 2 : 4;
            const bool big = r.below(2);
            for (int k = 0; k < bytes && at + std::size_t(k) < b.size(); ++k)
                b[at + std::size_t(k)] = char(n >> (8 * (big ? bytes - 1 - k : k)));
        }
        }
    }
}
// The checksum of every chunk made right again, so that what is spoilt is read and not only refused.
inline void mendPng(std::string& b)
{
    const auto number = [&](std::size_t at) {
        return std::size_t(std::uint8_t(b[at])) << 24 | std::size_t(std::uint8_t(b[at + 1])) << 16 |
               std::size_t(std::uint8_t(b[at + 2])) << 8 | std::uint8_t(b[at + 3]);
    };
    for (std::size_t at = 8; at + 12 <= b.size();) {
        const std::size_t length = number(at);
        if (length > b.size() || at + 12 + length > b.size()) return;
        std::uint32_t crc = ~0u;
        for (std::size_t i = at + 4; i < at + 8 + length; ++i) {
            crc ^= std::uint8_t(b[i]);
            for (int k = 0; k < 8; ++k) crc = (crc >> 1) ^ (0xEDB88320u & (0u - (crc & 1u)));
        }
        crc = ~crc;
        for (std::size_t k = 0; k < 4; ++k) b[at + 8 + length + k] = char(crc >> (24 - 8 * k));
        at += 12 + length;
    }
}
inline std::string spoiltPicture(std::uint64_t seed, const std::string& folder)
{
    demo::Random r(seed);
    const auto& whole = wholePictures(folder);
    std::string b = whole[std::size_t(r.below(int(whole.size())))];
    spoilBytes(b, r, r.below(4) ? 8 : 0);
    if (b.compare(0, 4, "\x89PNG") == 0 && r.below(4)) mendPng(b);
    return b;
}
inline void spoilJson(json& j, demo::Random& r, int depth = 0)
{
    if (j.is_structured() && !j.empty() && (depth < 2 || r.below(4))) {
        auto it = j.begin();
        std::advance(it, r.below(int(j.size())));
        if (r.below(12) == 0) j.erase(it);
        else spoilJson(*it, r, depth + 1);
        return;
    }
    switch (r.below(16)) {
    case 0: j = nullptr; break;
    case 1: j = -1; break;
    case 2: j = 0; break;
    case 3: j = 1e300; break;
    case 4: j = std::numeric_limits<std::uint64_t>::max(); break;
    case 5: j = ""; break;
    case 6: j = std::string(3000, 'x'); break;
    case 7: j = json::array(); break;
    case 8: j = json::object(); break;
    case 9: j = "[width] - 26,5"; break;
    case 10: j = {{"shape", "polygon"}, {"points", {{0, 0}, {9, 9}, {9, 0}, {0, 9}}}}; break;
    case 11: j = {{"shape", "result"}, {"of", "top"}}; break;
    case 12: j = "top"; break;
    case 13: j = true; break;
    case 14: j = 0.5; break;
    default: j = {1, 2}; break;
    }
}

// Nothing is wrong: empty.
inline std::string refusalOf(const base::Error& e, const std::string& file)
{
    const std::string text = e.text();
    if (e.message.empty()) return "a refusal without a word";
    if (text.find(file) == std::string::npos) return "the refusal names no file: " + text;
    if (text.size() > 20000) return "a refusal of " + std::to_string(text.size()) + " characters";
    return {};
}
inline std::string picture(std::uint64_t seed, const std::string& folder)
{
    const std::string file = "spoilt-" + std::to_string(seed);
    const auto p = image::decode(spoiltPicture(seed, folder), file);
    if (!p) return refusalOf(p.error(), file);
    return p->width() > 0 && p->height() > 0 && p->byteCount() == p->rowBytes() * std::size_t(p->height())
               ? ""
               : "a picture without pixels";
}
// The demo recipe's text and its reference, small.
struct Whole {
    json recipe;
    std::string reference, name;
    image::Image picture;
};
inline Whole& wholeRecipe(const std::string& folder)
{
    static Whole w = [&] {
        Whole out;
        const std::string place = folder + "/whole";
        fs::create_directories(place);
        if (!demo::writeReedPlates(place, 1, 1, {408, 342, 0.312})) std::abort();
        const auto members = base::readZip(*base::readFile(place + "/reed-plate.dikkat"));
        out.recipe = json::parse(members->at("recipe.json"));
        out.recipe["trials"] = json::array();
        out.name = out.recipe["assets"]["reference"]["file"].get<std::string>();
        out.reference = members->at(out.name);
        out.picture = image::loadCapture(place + "/plate-001.png")->first().pixels.clone();
        return out;
    }();
    return w;
}
inline std::string recipe(std::uint64_t seed, const std::string& folder)
{
    demo::Random r(seed);
    const Whole& w = wholeRecipe(folder);
    const std::string place = folder + "/recipes";
    fs::create_directories(place);
    json j = w.recipe;
    const int edits = 1 + r.below(3);
    for (int i = 0; i < edits; ++i) spoilJson(j, r);
    std::string text = j.dump(r.below(2) ? -1 : 1);
    if (r.below(4) == 0) spoilBytes(text, r);
    const bool packed = r.below(2);
    const std::string file = place + "/spoilt" + std::to_string(seed % 8) + (packed ? ".dikkat" : ".json");
    if (packed) {
        auto zip = base::writeZip({{"recipe.json", text}, {w.name, w.reference}});
        if (!zip) return "cannot pack";
        if (r.below(2)) spoilBytes(*zip, r);
        text = std::move(*zip);
    } else if (!fs::exists(place + "/" + w.name)) {
        (void)base::realFiles().write(place + "/" + w.name, w.reference);
    }
    if (!base::realFiles().write(file, text)) return "cannot write";
    auto loaded = recipe::load(file);
    if (!loaded) return refusalOf(loaded.error(), "spoilt" + std::to_string(seed % 8));
    for (const base::Error& e : recipe::unsound(*loaded))
        if (e.message.empty() || e.where.empty()) return "a refusal that says not what or where";
    // What was taken works on a picture, and can be kept and read again.
    const std::string kept = place + "/kept" + std::to_string(seed % 8) + ".dikkat";
    if (auto ok = recipe::save(*loaded, kept); ok) {
        if (auto again = recipe::load(kept); !again)
            return "what was taken and kept is refused: " + again.error().text();
    }
    auto prepared = inspect::Prepared::make(std::move(*loaded));
    if (!prepared) return prepared.error().message.empty() ? "a refusal without a word" : "";
    const auto result = inspect::evaluate(*prepared, image::makeCapture(w.picture.clone(), "picture"));
    for (const auto& item : result.items)
        for (const auto& s : item.steps)
            if (s->state != inspect::State::Ok && s->reason.empty())
                return "step " + s->step + " failed without a reason";
    return {};
}
inline std::string calibration(std::uint64_t seed, const std::string& folder)
{
    demo::Random r(seed);
    const std::string file = folder + "/spoilt-calibration.json";
    json j = {{"format", "dikkat-calibration"},
              {"version", 1},
              {"calibration", {{"kind", "factor"}, {"mm_per_px", 0.05}, {"stated", "by hand"}}}};
    if (r.below(2)) j["calibration"] = recipe::calibrationToJson(geometry::Calibration::factor(0.05, "by hand"));
    for (int i = 0, n = 1 + r.below(3); i < n; ++i) spoilJson(j, r);
    std::string text = j.dump();
    if (r.below(3) == 0) spoilBytes(text, r);
    if (!base::realFiles().write(file, text)) return "cannot write";
    const auto c = recipe::loadCalibration(file);
    return c ? std::string() : refusalOf(c.error(), "spoilt-calibration.json");
}
inline std::string commandLine(std::uint64_t seed, const std::string& folder)
{
    demo::Random r(seed);
    const Whole& w = wholeRecipe(folder);
    (void)w;
    const std::string place = folder + "/whole/";
    const std::vector<std::string> words{"inspect",
                                         "check",
                                         "review",
                                         "calibrate",
                                         "map",
                                         "target",
                                         "repeat",
                                         "study",
                                         "pack",
                                         "unpack",
                                         "kinds",
                                         "help",
                                         "demo",
                                         "run",
                                         "replay",
                                         "--source",
                                         "folder:" + folder + "/whole",
                                         "--keep",
                                         "all," + folder + "/kept",
                                         "--items",
                                         "--json",
                                         "-",
                                         "--csv",
                                         "--log",
                                         "--annotate",
                                         "--jobs",
                                         "1",
                                         "0",
                                         "-1",
                                         "99999999999",
                                         "1e9",
                                         "",
                                         "--",
                                         "--set",
                                         "gone",
                                         "--seed",
                                         "--count",
                                         "2",
                                         "--target",
                                         "dots",
                                         "checkerboard",
                                         "--columns",
                                         "--rows",
                                         "--pitch",
                                         "5",
                                         "--to",
                                         "mm",
                                         "1,2",
                                         place + "reed-plate.dikkat",
                                         place + "plate-001.png",
                                         place + "truth.json",
                                         folder + "/out.json",
                                         folder + "/out",
                                         "\xff\xfe",
                                         std::string(5000, 'a'),
                                         "\n",
                                         "--overwrite",
                                         "--check",
                                         "Width",
                                         "/dev/null",
                                         folder};
    std::vector<std::string> line;
    for (int i = 0, n = r.below(9); i < n; ++i)
        line.push_back(words[std::size_t(i == 0 ? r.below(15) : r.below(int(words.size())))]);
    if (!line.empty() && line.front() == "demo") line.resize(1); // writes whatever it is told to
    std::ostringstream out, err;
    const int code = cli::run(line, out, err);
    if (code < 0 || code > 2) return "exit code " + std::to_string(code);
    if (code == 2 && err.str().empty() && out.str().empty()) return "refused without a word";
    return {};
}
using One = std::string (*)(std::uint64_t, const std::string&);
struct Kind {
    const char* name;
    One one;
};
inline constexpr Kind kKinds[] = {
    {"pictures", picture}, {"recipes", recipe}, {"calibrations", calibration}, {"commands", commandLine}};

} // namespace fuzz_inputs
