#include "image/decode.h"

#include "base/files.h"
#include "image/png_rows.h"

#include <algorithm>
#include <cctype>
#include <cmath>
#include <csetjmp>
#include <cstdio>
#include <cstring>
#include <filesystem>
#include <jpeglib.h>
#include <limits>
#include <new>
#include <optional>
#include <png.h>
#include <tiffio.h>

namespace image
{
using base::ErrorCode;
using base::fail;

namespace
{

base::Status checkSize(long long width, long long height, const std::string& name)
{
    if (width < 1 || height < 1)
        return fail(ErrorCode::Corrupt,
                    "the picture is " + std::to_string(width) + " × " + std::to_string(height) +
                        " px; at least 1 × 1 is needed",
                    name);
    if (width > kLongestSide || height > kLongestSide || height > kLargestPicture / width)
        return fail(ErrorCode::OutOfRange,
                    "the picture is " + std::to_string(width) + " × " + std::to_string(height) + " px; at most " +
                        std::to_string(kLargestPicture / 1'000'000) + " megapixels and " +
                        std::to_string(kLongestSide) + " px a side are read",
                    name);
    return {};
}
// What a picture states must be able to be in its bytes: no way of packing makes more than `most` bytes of one.
base::Status checkHolds(double stated, std::size_t bytes, double most, const std::string& name)
{
    if (stated <= double(bytes) * most + 4096) return {};
    return fail(ErrorCode::Corrupt,
                "the picture states " + std::to_string((long long)stated) + " bytes of pixels; a file of " +
                    std::to_string(bytes) + " bytes can hold at most " +
                    std::to_string((long long)(double(bytes) * most) + 4096),
                name);
}

// ---- PNG. libpng leaves by longjmp: everything with a destructor lives outside the function that sets the jump.
struct PngReader {
    const std::string* bytes = nullptr;
    std::size_t at = 0;
    std::string message;
    std::jmp_buf jump;
};
void pngRead(png_structp png, png_bytep to, png_size_t n)
{
    auto* r = static_cast<PngReader*>(png_get_io_ptr(png));
    if (n > r->bytes->size() - r->at) png_error(png, "the file is cut off");
    std::memcpy(to, r->bytes->data() + r->at, n);
    r->at += n;
}
[[noreturn]] void pngFail(png_structp png, png_const_charp text)
{
    auto* r = static_cast<PngReader*>(png_get_error_ptr(png));
    r->message = text;
    std::longjmp(r->jump, 1);
}
void pngWarn(png_structp, png_const_charp) {}

struct PngHeader {
    png_uint_32 width = 0, height = 0;
    bool colour = false, wide = false;
    double packed = 0; // bytes of all rows before they are expanded
};
bool pngStart(PngReader& r, png_structp png, png_infop info, PngHeader& header)
{
    if (setjmp(r.jump)) return false;
    png_set_user_limits(png, 0x7fffffff, 0x7fffffff);
    png_set_read_fn(png, &r, pngRead);
    png_read_info(png, info);
    int depth = 0, type = 0;
    png_get_IHDR(png, info, &header.width, &header.height, &depth, &type, nullptr, nullptr, nullptr);
    // refused before a row of it is made room for
    if (header.width > kLongestSide || header.height > kLongestSide) return true;
    header.packed = double(header.height) * (double(png_get_rowbytes(png, info)) + 1);
    if (type == PNG_COLOR_TYPE_PALETTE) png_set_palette_to_rgb(png);
    if (type == PNG_COLOR_TYPE_GRAY && depth < 8) png_set_expand_gray_1_2_4_to_8(png);
    if (type & PNG_COLOR_MASK_ALPHA) png_set_strip_alpha(png);
    if (depth == 16) png_set_swap(png);
    png_set_interlace_handling(png);
    png_read_update_info(png, info);
    header.colour = (type & PNG_COLOR_MASK_COLOR) != 0;
    header.wide = depth == 16;
    return true;
}
bool pngPixels(PngReader& r, png_structp png, png_bytepp rows)
{
    if (setjmp(r.jump)) return false;
    png_read_image(png, rows);
    png_read_end(png, nullptr);
    return true;
}

base::Result<Image> decodePng(const std::string& bytes, const std::string& name)
{
    if (auto usual = readUsualPng(bytes)) return std::move(*usual);
    PngReader r;
    r.bytes = &bytes;
    png_structp png = png_create_read_struct(PNG_LIBPNG_VER_STRING, &r, pngFail, pngWarn);
    png_infop info = png_create_info_struct(png);
    const auto bad = [&](const char* what) {
        png_destroy_read_struct(&png, &info, nullptr);
        return fail(ErrorCode::Corrupt, std::string(what) + " (" + r.message + ")", name);
    };
    PngHeader h;
    if (!pngStart(r, png, info, h)) return bad("the PNG picture is damaged");
    if (auto ok = checkSize(h.width, h.height, name); !ok) {
        png_destroy_read_struct(&png, &info, nullptr);
        return base::passOn(ok.error());
    }
    // Deflate makes at most 1032 bytes of one.
    if (auto ok = checkHolds(h.packed, bytes.size(), 1032, name); !ok) {
        png_destroy_read_struct(&png, &info, nullptr);
        return base::passOn(ok.error());
    }
    Image out(int(h.width), int(h.height),
              h.colour ? (h.wide ? PixelFormat::Colour16 : PixelFormat::Colour8)
                       : (h.wide ? PixelFormat::Grey16 : PixelFormat::Grey8));
    std::vector<png_bytep> rows(h.height);
    for (png_uint_32 y = 0; y < h.height; ++y) rows[y] = out.row(int(y));
    if (!pngPixels(r, png, rows.data())) return bad("the PNG picture is damaged or cut off");
    png_destroy_read_struct(&png, &info, nullptr);
    return out;
}

// ---- JPEG. A cut-off file is only a warning to the library; here it is an error.
struct JpegErrors {
    jpeg_error_mgr base;
    std::jmp_buf jump;
    char message[JMSG_LENGTH_MAX];
};
void jpegFail(j_common_ptr c)
{
    auto* e = reinterpret_cast<JpegErrors*>(c->err);
    (*c->err->format_message)(c, e->message);
    std::longjmp(e->jump, 1);
}
void jpegMessage(j_common_ptr c, int level)
{
    auto* e = reinterpret_cast<JpegErrors*>(c->err);
    if (level >= 0) return;
    // The rest of a damaged picture would be made up; nobody waits for that.
    (*c->err->format_message)(c, e->message);
    ++c->err->num_warnings;
    std::longjmp(e->jump, 1);
}
// A picture is built up in a few dozen scans at most; each one goes over all of it.
constexpr int kMostScans = 64, kMostScansOfLarge = 16;
void jpegProgress(j_common_ptr c)
{
    const auto* d = reinterpret_cast<j_decompress_ptr>(c);
    const bool large = double(d->image_width) * d->image_height > 64e6;
    if (d->input_scan_number <= (large ? kMostScansOfLarge : kMostScans)) return;
    auto* e = reinterpret_cast<JpegErrors*>(c->err);
    std::snprintf(e->message, sizeof e->message, "more than %d scans", large ? kMostScansOfLarge : kMostScans);
    std::longjmp(e->jump, 1);
}
// The orientation of an EXIF block (a small TIFF directory); 1 when it states none.
int exifOrientation(const unsigned char* p, std::size_t n)
{
    if (n < 14 || std::memcmp(p, "Exif\0\0", 6) != 0) return 1;
    p += 6, n -= 6;
    const bool big = p[0] == 'M';
    const auto number = [&](std::size_t at, std::size_t bytes) {
        std::uint32_t v = 0;
        for (std::size_t i = 0; i < bytes; ++i) v |= std::uint32_t(p[at + (big ? bytes - 1 - i : i)]) << (8 * i);
        return v;
    };
    const std::size_t directory = number(4, 4);
    if (directory + 2 > n) return 1;
    const std::size_t entries = number(directory, 2);
    for (std::size_t i = 0; i < entries && directory + 2 + 12 * (i + 1) <= n; ++i) {
        const std::size_t at = directory + 2 + 12 * i;
        if (number(at, 2) != 0x0112) continue;
        const auto v = int(number(at + 8, 2));
        return v >= 1 && v <= 8 ? v : 1;
    }
    return 1;
}
bool jpegStart(JpegErrors& e, jpeg_decompress_struct& c, const std::string& bytes)
{
    if (setjmp(e.jump)) return false;
    jpeg_mem_src(&c, reinterpret_cast<const unsigned char*>(bytes.data()), (unsigned long)bytes.size());
    jpeg_save_markers(&c, JPEG_APP0 + 1, 0xffff);
    jpeg_read_header(&c, TRUE);
    if (c.jpeg_color_space == JCS_GRAYSCALE) c.out_color_space = JCS_GRAYSCALE;
    else if (c.jpeg_color_space == JCS_CMYK || c.jpeg_color_space == JCS_YCCK) c.out_color_space = JCS_CMYK;
    else c.out_color_space = JCS_RGB;
    c.dct_method = JDCT_ISLOW;
    return true;
}
bool jpegPixels(JpegErrors& e, jpeg_decompress_struct& c, Image& out, std::uint8_t* line)
{
    if (setjmp(e.jump)) return false;
    jpeg_start_decompress(&c);
    while (c.output_scanline < c.output_height) {
        std::uint8_t* to = out.row(int(c.output_scanline));
        JSAMPROW row = c.output_components == 4 ? line : to;
        jpeg_read_scanlines(&c, &row, 1);
        if (c.output_components == 4) // inverted CMYK, as cameras and scanners write it
            for (int x = 0; x < out.width(); ++x)
                for (int k = 0; k < 3; ++k) to[3 * x + k] = std::uint8_t(line[4 * x + k] * line[4 * x + 3] / 255);
    }
    jpeg_finish_decompress(&c);
    return true;
}

base::Result<Image> decodeJpeg(const std::string& bytes, const std::string& name)
{
    jpeg_decompress_struct c{};
    JpegErrors e{};
    c.err = jpeg_std_error(&e.base);
    e.base.error_exit = jpegFail;
    e.base.emit_message = jpegMessage;
    jpeg_create_decompress(&c);
    const auto bad = [&] {
        jpeg_destroy_decompress(&c);
        return fail(ErrorCode::Corrupt, std::string("the JPEG picture is damaged or cut off (") + e.message + ")",
                    name);
    };
    if (!jpegStart(e, c, bytes)) return bad();
    auto fits = checkSize(c.image_width, c.image_height, name);
    // Two bits a square of 8 × 8 at least; one where they come in scans.
    if (fits) fits = checkHolds(double(c.image_width) * c.image_height, bytes.size(), 512, name);
    if (!fits) {
        jpeg_destroy_decompress(&c);
        return base::passOn(fits.error());
    }
    int orientation = 1;
    for (const auto* m = c.marker_list; m; m = m->next)
        if (orientation == 1) orientation = exifOrientation(m->data, m->data_length);
    jpeg_progress_mgr progress{};
    progress.progress_monitor = jpegProgress;
    c.progress = &progress;
    c.mem->max_memory_to_use = 2'000'000'000L;
    const bool grey = c.out_color_space == JCS_GRAYSCALE;
    Image out(int(c.image_width), int(c.image_height), grey ? PixelFormat::Grey8 : PixelFormat::Colour8);
    std::vector<std::uint8_t> line(std::size_t(out.width()) * 4);
    if (!jpegPixels(e, c, out, line.data()) || e.base.num_warnings > 0) return bad();
    jpeg_destroy_decompress(&c);
    return oriented(std::move(out), orientation);
}

// ---- TIFF, from memory.
struct TiffReader {
    const std::string* bytes;
    toff_t at = 0;
    std::string message;
};
tmsize_t tiffRead(thandle_t h, void* to, tmsize_t n)
{
    auto* r = static_cast<TiffReader*>(h);
    const auto left = r->at < r->bytes->size() ? r->bytes->size() - r->at : 0;
    const auto take = std::min<std::size_t>(std::size_t(n), left);
    std::memcpy(to, r->bytes->data() + r->at, take);
    r->at += take;
    return tmsize_t(take);
}
tmsize_t tiffWrite(thandle_t, void*, tmsize_t) { return 0; }
toff_t tiffSeek(thandle_t h, toff_t to, int from)
{
    auto* r = static_cast<TiffReader*>(h);
    if (from == SEEK_CUR) to += r->at;
    if (from == SEEK_END) to += r->bytes->size();
    return r->at = to;
}
int tiffClose(thandle_t) { return 0; }
toff_t tiffSize(thandle_t h) { return static_cast<TiffReader*>(h)->bytes->size(); }
int tiffMap(thandle_t, void**, toff_t*) { return 0; }
void tiffUnmap(thandle_t, void*, toff_t) {}
void tiffError(thandle_t h, const char*, const char* format, va_list arguments)
{
    char text[512];
    std::vsnprintf(text, sizeof text, format, arguments);
    if (h && static_cast<TiffReader*>(h)->message.empty()) static_cast<TiffReader*>(h)->message = text;
}

template <class T> void invertRow(std::uint8_t* row, int width)
{
    auto* p = reinterpret_cast<T*>(row);
    for (int x = 0; x < width; ++x) p[x] = T(~p[x]);
}

// What the file says of its strips or tiles can be true of a file of this size. A tile may be larger than the picture,
// but not by much.
base::Status tiffSound(TIFF* tif, std::size_t bytes, double width, double height, const std::string& name)
{
    const bool tiled = TIFFIsTiled(tif);
    const double pieces = tiled ? TIFFNumberOfTiles(tif) : TIFFNumberOfStrips(tif);
    if (pieces > double(bytes))
        return fail(ErrorCode::Corrupt,
                    "the picture states " + std::to_string((long long)pieces) + (tiled ? " tiles" : " strips") +
                        " in a file of " + std::to_string(bytes) + " bytes",
                    name);
    const double most = 4 * width * height + 16e6;
    if (tiled) {
        std::uint32_t tw = 0, th = 0;
        TIFFGetField(tif, TIFFTAG_TILEWIDTH, &tw);
        TIFFGetField(tif, TIFFTAG_TILELENGTH, &th);
        if (tw == 0 || th == 0 || double(tw) * th > most)
            return fail(ErrorCode::Corrupt,
                        "the picture states tiles of " + std::to_string(tw) + " × " + std::to_string(th) +
                            " px; 1 to " + std::to_string((long long)most) + " pixels are possible",
                        name);
    }
    const double size = double(tiled ? TIFFTileSize64(tif) : TIFFStripSize64(tif));
    if (size <= 0 || size > most * 8)
        return fail(ErrorCode::Corrupt,
                    std::string("the picture states ") + (tiled ? "tiles" : "strips") + " of " +
                        std::to_string((long long)size) + " bytes; 1 to " + std::to_string((long long)(most * 8)) +
                        " are possible",
                    name);
    std::uint16_t packing = COMPRESSION_NONE;
    TIFFGetFieldDefaulted(tif, TIFFTAG_COMPRESSION, &packing);
    const bool lines = packing == COMPRESSION_CCITTRLE || packing == COMPRESSION_CCITTFAX3 ||
                       packing == COMPRESSION_CCITTFAX4 || packing == COMPRESSION_CCITTRLEW;
    const double raw = tiled ? pieces * size : height * double(TIFFScanlineSize64(tif));
    return checkHolds(raw, bytes, packing == COMPRESSION_NONE ? 1 : lines ? 1e6 : 4096, name);
}

// Strips or tiles as they are stored, piece by piece: copy(from, x, y, pixels, plane).
template <class Copy>
bool tiffPieces(TIFF* tif, int width, int height, int planes, int perPixel, int bytes, const Copy& copy)
{
    if (TIFFIsTiled(tif)) {
        std::uint32_t tw = 0, th = 0;
        TIFFGetField(tif, TIFFTAG_TILEWIDTH, &tw);
        TIFFGetField(tif, TIFFTAG_TILELENGTH, &th);
        const tmsize_t size = TIFFTileSize(tif);
        if (size <= 0 || size < tmsize_t(tw) * tmsize_t(th) * perPixel * bytes) return false;
        std::vector<std::uint8_t> tile(std::size_t(size), std::uint8_t(0));
        for (int p = 0; p < planes; ++p)
            for (int y = 0; y < height; y += int(th))
                for (int x = 0; x < width; x += int(tw)) {
                    if (TIFFReadTile(tif, tile.data(), std::uint32_t(x), std::uint32_t(y), 0, std::uint16_t(p)) < 0)
                        return false;
                    for (int ty = 0; ty < int(th) && y + ty < height; ++ty)
                        copy(tile.data() + std::size_t(ty) * tw * std::size_t(perPixel * bytes), x, y + ty,
                             std::min(int(tw), width - x), p);
                }
        return true;
    }
    const tmsize_t size = TIFFScanlineSize(tif);
    if (size < tmsize_t(width) * perPixel * bytes) return false;
    std::vector<std::uint8_t> line(std::size_t(size), std::uint8_t(0));
    for (int p = 0; p < planes; ++p)
        for (int y = 0; y < height; ++y) {
            if (TIFFReadScanline(tif, line.data(), std::uint32_t(y), std::uint16_t(p)) < 0) return false;
            copy(line.data(), 0, y, width, p);
        }
    return true;
}

// Plain strips or tiles of 8 or 16 bit grey or colour, read as they are.
bool tiffPlain(TIFF* tif, Image& out, int samples, int bytes, bool planar)
{
    const int pixelBytes = channels(out.format()) * bytes;
    const auto copy = [&](const std::uint8_t* from, int x0, int y, int n, int plane) {
        std::uint8_t* to = out.row(y) + std::size_t(x0) * std::size_t(pixelBytes);
        const int outSamples = channels(out.format());
        for (int x = 0; x < n; ++x)
            for (int s = 0; s < (planar ? 1 : outSamples); ++s)
                std::memcpy(to + std::size_t(x * outSamples + (planar ? plane : s)) * std::size_t(bytes),
                            from + std::size_t(planar ? x : x * samples + s) * std::size_t(bytes), std::size_t(bytes));
    };
    return tiffPieces(tif, out.width(), out.height(), planar ? channels(out.format()) : 1, planar ? 1 : samples, bytes,
                      copy);
}

// The value the file says no point was measured with: a number as text, as geographic programs write it.
std::optional<double> tiffMissing(TIFF* tif)
{
    constexpr std::uint32_t kNoData = 42113;
    std::uint32_t count = 0;
    const char* text = nullptr;
    if (TIFFGetField(tif, kNoData, &count, &text) != 1 || !text || count == 0 || count > 100) return std::nullopt;
    const std::string held(text, strnlen(text, count));
    char* end = nullptr;
    const double v = std::strtod(held.c_str(), &end);
    if (end == held.c_str()) return std::nullopt;
    return v;
}
// One sample a pixel as float. What is no number, or too large to be a height, is missing.
template <class T> bool tiffHeights(TIFF* tif, Image& out)
{
    const auto missing = tiffMissing(tif);
    const auto copy = [&](const std::uint8_t* from, int x0, int y, int n, int) {
        auto* to = reinterpret_cast<float*>(out.row(y)) + x0;
        for (int x = 0; x < n; ++x) {
            T v;
            std::memcpy(&v, from + std::size_t(x) * sizeof(T), sizeof(T));
            const auto z = float(v);
            const bool gone = !(std::abs(z) < 1e30f) || (missing && (double(v) == *missing || z == float(*missing)));
            to[x] = gone ? std::numeric_limits<float>::quiet_NaN() : z;
        }
    };
    return tiffPieces(tif, out.width(), out.height(), 1, 1, int(sizeof(T)), copy);
}

// Everything else (palette, 1 bit, YCbCr …) through the library's own 8-bit colour reading.
bool tiffAny(TIFF* tif, Image& out)
{
    std::vector<std::uint32_t> raster(std::size_t(out.width()) * std::size_t(out.height()));
    if (!TIFFReadRGBAImageOriented(tif, std::uint32_t(out.width()), std::uint32_t(out.height()), raster.data(),
                                   ORIENTATION_TOPLEFT, 1))
        return false;
    for (int y = 0; y < out.height(); ++y)
        for (int x = 0; x < out.width(); ++x) {
            const std::uint32_t p = raster[std::size_t(y) * std::size_t(out.width()) + std::size_t(x)];
            std::uint8_t* to = out.row(y) + 3 * x;
            to[0] = std::uint8_t(TIFFGetR(p)), to[1] = std::uint8_t(TIFFGetG(p)), to[2] = std::uint8_t(TIFFGetB(p));
        }
    return true;
}

base::Result<Image> decodeTiff(const std::string& bytes, const std::string& name)
{
    TiffReader r{&bytes, 0, {}};
    TIFFSetErrorHandler(nullptr);
    TIFFSetErrorHandlerExt(tiffError);
    TIFFSetWarningHandler(nullptr);
    TIFF* tif =
        TIFFClientOpen(name.c_str(), "rm", &r, tiffRead, tiffWrite, tiffSeek, tiffClose, tiffSize, tiffMap, tiffUnmap);
    const auto bad = [&](ErrorCode code, const std::string& what) {
        if (tif) TIFFClose(tif);
        return fail(code, what + (r.message.empty() ? "" : " (" + r.message + ")"), name);
    };
    if (!tif) return bad(ErrorCode::Corrupt, "the TIFF picture is damaged or cut off");
    std::uint32_t width = 0, height = 0;
    std::uint16_t samples = 1, bits = 1, format = SAMPLEFORMAT_UINT, photometric = PHOTOMETRIC_MINISBLACK,
                  planar = PLANARCONFIG_CONTIG;
    TIFFGetField(tif, TIFFTAG_IMAGEWIDTH, &width);
    TIFFGetField(tif, TIFFTAG_IMAGELENGTH, &height);
    TIFFGetFieldDefaulted(tif, TIFFTAG_SAMPLESPERPIXEL, &samples);
    TIFFGetFieldDefaulted(tif, TIFFTAG_BITSPERSAMPLE, &bits);
    TIFFGetFieldDefaulted(tif, TIFFTAG_SAMPLEFORMAT, &format);
    TIFFGetFieldDefaulted(tif, TIFFTAG_PLANARCONFIG, &planar);
    TIFFGetField(tif, TIFFTAG_PHOTOMETRIC, &photometric);
    if (auto ok = checkSize(width, height, name); !ok) {
        TIFFClose(tif);
        return base::passOn(ok.error());
    }
    std::uint16_t orientation = ORIENTATION_TOPLEFT;
    TIFFGetFieldDefaulted(tif, TIFFTAG_ORIENTATION, &orientation);
    const bool real = format == SAMPLEFORMAT_IEEEFP, whole = format == SAMPLEFORMAT_INT;
    if (real || whole || (format == SAMPLEFORMAT_UINT && bits == 32)) {
        if (samples != 1 || !(bits == 32 || (real && bits == 64) || (whole && bits == 16)))
            return bad(ErrorCode::Unsupported,
                       "the TIFF picture holds " + std::to_string(samples) + " samples of " + std::to_string(bits) +
                           " bit a pixel; of float ones one of 32 or 64 bit is read, of signed ones one of 16 or 32");
        TIFFSetField(tif, TIFFTAG_ORIENTATION, ORIENTATION_TOPLEFT);
        if (auto ok = tiffSound(tif, bytes.size(), width, height, name); !ok) {
            TIFFClose(tif);
            return base::passOn(ok.error());
        }
        Image out(int(width), int(height), PixelFormat::Real32);
        const bool read = bits == 64   ? tiffHeights<double>(tif, out)
                          : bits == 16 ? tiffHeights<std::int16_t>(tif, out)
                          : real       ? tiffHeights<float>(tif, out)
                          : whole      ? tiffHeights<std::int32_t>(tif, out)
                                       : tiffHeights<std::uint32_t>(tif, out);
        if (!read) return bad(ErrorCode::Corrupt, "the TIFF picture is damaged or cut off");
        TIFFClose(tif);
        return oriented(std::move(out), orientation);
    }
    if (format != SAMPLEFORMAT_UINT && format != SAMPLEFORMAT_VOID)
        return bad(ErrorCode::Unsupported, "the TIFF picture holds samples of a kind that is not read");
    const bool grey = (photometric == PHOTOMETRIC_MINISBLACK || photometric == PHOTOMETRIC_MINISWHITE) && samples >= 1;
    const bool plain =
        (bits == 8 || bits == 16) && ((grey && samples <= 2) || (photometric == PHOTOMETRIC_RGB && samples >= 3));
    TIFFSetField(tif, TIFFTAG_ORIENTATION, ORIENTATION_TOPLEFT); // turned by us, alike for every kind of TIFF
    if (auto ok = tiffSound(tif, bytes.size(), width, height, name); !ok) {
        TIFFClose(tif);
        return base::passOn(ok.error());
    }
    if (plain) {
        const int depth = bits / 8;
        Image out(int(width), int(height),
                  grey ? (depth == 2 ? PixelFormat::Grey16 : PixelFormat::Grey8)
                       : (depth == 2 ? PixelFormat::Colour16 : PixelFormat::Colour8));
        if (!tiffPlain(tif, out, samples, depth, planar == PLANARCONFIG_SEPARATE))
            return bad(ErrorCode::Corrupt, "the TIFF picture is damaged or cut off");
        if (photometric == PHOTOMETRIC_MINISWHITE)
            for (int y = 0; y < out.height(); ++y)
                depth == 2 ? invertRow<std::uint16_t>(out.row(y), out.width())
                           : invertRow<std::uint8_t>(out.row(y), out.width());
        TIFFClose(tif);
        return oriented(std::move(out), orientation);
    }
    char why[1024] = "";
    if (!TIFFRGBAImageOK(tif, why))
        return bad(ErrorCode::Unsupported, std::string("this kind of TIFF is not read: ") + why);
    Image out(int(width), int(height), PixelFormat::Colour8);
    if (!tiffAny(tif, out)) return bad(ErrorCode::Corrupt, "the TIFF picture is damaged or cut off");
    TIFFClose(tif);
    return oriented(grey ? toGrey(out) : std::move(out), orientation);
}

bool startsWith(const std::string& bytes, std::string_view magic) { return bytes.compare(0, magic.size(), magic) == 0; }
} // namespace

namespace
{
base::Result<Image> decodeAny(const std::string& bytes, const std::string& name)
{
    using namespace std::string_view_literals;
    if (bytes.empty()) return fail(ErrorCode::Corrupt, "the file is empty (0 bytes)", name);
    if (startsWith(bytes, "\x89PNG\r\n\x1a\n"sv)) return decodePng(bytes, name);
    if (startsWith(bytes, "\xff\xd8"sv)) return decodeJpeg(bytes, name);
    if (startsWith(bytes, "II*\0"sv) || startsWith(bytes, "MM\0*"sv) || startsWith(bytes, "II+\0"sv) ||
        startsWith(bytes, "MM\0+"sv))
        return decodeTiff(bytes, name);
    return fail(ErrorCode::Unsupported, "not a picture: PNG, JPEG or TIFF is expected", name);
}
} // namespace

base::Result<Image> decode(const std::string& bytes, const std::string& name)
{
    try {
        return decodeAny(bytes, name);
    } catch (const std::bad_alloc&) {
        return fail(ErrorCode::OutOfRange, "there is not enough memory for the picture", name);
    }
}

bool looksLikePicture(const std::string& path)
{
    std::string end = std::filesystem::path(path).extension().string();
    std::transform(end.begin(), end.end(), end.begin(), [](unsigned char c) { return char(std::tolower(c)); });
    for (const char* known : {".png", ".jpg", ".jpeg", ".tif", ".tiff", ".ply", ".xyz"})
        if (end == known) return true;
    return false;
}

namespace
{
void pngAppend(png_structp png, png_bytep from, png_size_t n)
{
    static_cast<std::string*>(png_get_io_ptr(png))->append(reinterpret_cast<char*>(from), n);
}
void pngFlush(png_structp) {}
bool pngWritePixels(PngReader& r, png_structp png, png_infop info, png_bytepp rows, const Image& picture,
                    std::string& out, int compression)
{
    if (setjmp(r.jump)) return false;
    png_set_write_fn(png, &out, pngAppend, pngFlush);
    png_set_user_limits(png, 0x7fffffff, 0x7fffffff);
    png_set_compression_level(png, compression);
    png_set_filter(png, 0, compression <= 1 ? PNG_FILTER_SUB : PNG_ALL_FILTERS);
    const int depth = 8 * bytesPerSample(picture.format());
    png_set_IHDR(png, info, png_uint_32(picture.width()), png_uint_32(picture.height()), depth,
                 channels(picture.format()) == 3 ? PNG_COLOR_TYPE_RGB : PNG_COLOR_TYPE_GRAY, PNG_INTERLACE_NONE,
                 PNG_COMPRESSION_TYPE_DEFAULT, PNG_FILTER_TYPE_DEFAULT);
    png_write_info(png, info);
    if (depth == 16) png_set_swap(png);
    png_write_image(png, rows);
    png_write_end(png, info);
    return true;
}
} // namespace

base::Result<std::string> encodePng(const Image& picture, int compression)
{
    PngReader r;
    std::string out;
    png_structp png = png_create_write_struct(PNG_LIBPNG_VER_STRING, &r, pngFail, pngWarn);
    png_infop info = png_create_info_struct(png);
    std::vector<png_bytep> rows(std::size_t(picture.height()), nullptr);
    for (int y = 0; y < picture.height(); ++y) rows[std::size_t(y)] = const_cast<png_bytep>(picture.row(y));
    const bool done = pngWritePixels(r, png, info, rows.data(), picture, out, compression);
    png_destroy_write_struct(&png, &info);
    if (!done) return fail(ErrorCode::Io, "cannot write PNG: " + r.message);
    return out;
}

namespace
{
struct TiffWriter {
    std::string bytes;
    std::size_t at = 0;
};
tmsize_t tiffPut(thandle_t h, void* from, tmsize_t n)
{
    auto* w = static_cast<TiffWriter*>(h);
    w->bytes.resize(std::max(w->bytes.size(), w->at + std::size_t(n)));
    std::memcpy(w->bytes.data() + w->at, from, std::size_t(n));
    w->at += std::size_t(n);
    return n;
}
tmsize_t tiffPutRead(thandle_t h, void* to, tmsize_t n)
{
    auto* w = static_cast<TiffWriter*>(h);
    const std::size_t left = w->at < w->bytes.size() ? w->bytes.size() - w->at : 0,
                      take = std::min(left, std::size_t(n));
    std::memcpy(to, w->bytes.data() + w->at, take);
    w->at += take;
    return tmsize_t(take);
}
toff_t tiffPutSeek(thandle_t h, toff_t to, int from)
{
    auto* w = static_cast<TiffWriter*>(h);
    if (from == SEEK_CUR) to += w->at;
    if (from == SEEK_END) to += w->bytes.size();
    return w->at = to;
}
toff_t tiffPutSize(thandle_t h) { return static_cast<TiffWriter*>(h)->bytes.size(); }
} // namespace

base::Result<std::string> encodeTiff(const Image& picture)
{
    TiffWriter w;
    TIFF* tif = TIFFClientOpen("picture", "wm", &w, tiffPutRead, tiffPut, tiffPutSeek, tiffClose, tiffPutSize, tiffMap,
                               tiffUnmap);
    if (!tif) return fail(ErrorCode::Io, "cannot write TIFF");
    const bool real = picture.format() == PixelFormat::Real32, colour = channels(picture.format()) == 3;
    TIFFSetField(tif, TIFFTAG_IMAGEWIDTH, std::uint32_t(picture.width()));
    TIFFSetField(tif, TIFFTAG_IMAGELENGTH, std::uint32_t(picture.height()));
    TIFFSetField(tif, TIFFTAG_SAMPLESPERPIXEL, colour ? 3 : 1);
    TIFFSetField(tif, TIFFTAG_BITSPERSAMPLE, 8 * bytesPerSample(picture.format()));
    TIFFSetField(tif, TIFFTAG_SAMPLEFORMAT, real ? SAMPLEFORMAT_IEEEFP : SAMPLEFORMAT_UINT);
    TIFFSetField(tif, TIFFTAG_PHOTOMETRIC, colour ? PHOTOMETRIC_RGB : PHOTOMETRIC_MINISBLACK);
    TIFFSetField(tif, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
    TIFFSetField(tif, TIFFTAG_COMPRESSION, COMPRESSION_ADOBE_DEFLATE);
    TIFFSetField(tif, TIFFTAG_PREDICTOR, real ? PREDICTOR_FLOATINGPOINT : PREDICTOR_HORIZONTAL);
    TIFFSetField(tif, TIFFTAG_ROWSPERSTRIP, TIFFDefaultStripSize(tif, 0));
    std::vector<std::uint8_t> line(picture.rowBytes());
    bool done = true;
    for (int y = 0; y < picture.height() && done; ++y) {
        std::copy_n(picture.row(y), line.size(), line.data());
        done = TIFFWriteScanline(tif, line.data(), std::uint32_t(y), 0) >= 0;
    }
    TIFFClose(tif);
    if (!done) return fail(ErrorCode::Io, "cannot write TIFF");
    return std::move(w.bytes);
}

} // namespace image
