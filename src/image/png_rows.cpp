#include "image/png_rows.h"

#include <algorithm>
#include <cstdlib>
#include <cstring>
#include <libdeflate.h>
#include <memory>
#include <string_view>

namespace image
{
namespace
{
using Bytes = const std::uint8_t*;

std::uint32_t number(Bytes p)
{
    return std::uint32_t(p[0]) << 24 | std::uint32_t(p[1]) << 16 | std::uint32_t(p[2]) << 8 | p[3];
}

struct Parts {
    std::uint32_t width = 0, height = 0;
    PixelFormat format = PixelFormat::Grey8;
    std::string packed; // all IDAT together
    std::size_t rowBytes() const { return std::size_t(width) * std::size_t(channels(format) * bytesPerSample(format)); }
};

// Header as it is taken here: size, depth 8 or 16, grey (0) or colour (2), the one packing and filtering there is, not
// interlaced.
std::optional<Parts> headerOf(Bytes p)
{
    Parts out;
    out.width = number(p), out.height = number(p + 4);
    const int depth = p[8], type = p[9];
    if (out.width < 1 || out.height < 1 || out.width > 200000 || out.height > 200000) return std::nullopt;
    if ((depth != 8 && depth != 16) || (type != 0 && type != 2) || p[10] || p[11] || p[12]) return std::nullopt;
    out.format = type == 2 ? (depth == 16 ? PixelFormat::Colour16 : PixelFormat::Colour8)
                           : (depth == 16 ? PixelFormat::Grey16 : PixelFormat::Grey8);
    return out;
}

std::optional<Parts> partsOf(const std::string& bytes)
{
    constexpr std::size_t kSignature = 8, kRound = 12; // length, name and checksum round a chunk's data
    const auto* all = reinterpret_cast<Bytes>(bytes.data());
    std::optional<Parts> out;
    bool over = false; // the pixels' chunks stand together
    for (std::size_t at = kSignature; bytes.size() - at >= kRound;) {
        const std::size_t length = number(all + at);
        if (length > bytes.size() - at - kRound) return std::nullopt;
        const std::string_view name(bytes.data() + at + 4, 4);
        if (libdeflate_crc32(0, all + at + 4, length + 4) != number(all + at + 8 + length)) return std::nullopt;
        if (name == "IHDR") {
            if (out || length != 13) return std::nullopt;
            out = headerOf(all + at + 8);
            if (!out) return std::nullopt;
        } else if (!out) {
            return std::nullopt;
        } else if (name == "IDAT") {
            if (over) return std::nullopt;
            out->packed.append(bytes, at + 8, length);
        } else if (name == "IEND") {
            return out;
        } else if (name[0] < 'a') {
            return std::nullopt; // one that must be understood
        }
        over = over || (!out->packed.empty() && name != "IDAT");
        at += kRound + length;
    }
    return std::nullopt;
}

int paeth(int a, int b, int c)
{
    const int p = a + b - c, pa = std::abs(p - a), pb = std::abs(p - b), pc = std::abs(p - c);
    return pa <= pb && pa <= pc ? a : pb <= pc ? b : c;
}

// One row without its filter; `above`: the row before, null for the first; `step`: bytes of a pixel. False: no such
// filter.
template <std::size_t Step> bool unfiltered(int filter, Bytes from, Bytes above, std::uint8_t* to, std::size_t n)
{
    const auto left = [&](std::size_t i) { return i < Step ? 0 : int(to[i - Step]); };
    const auto up = [&](std::size_t i) { return above ? int(above[i]) : 0; };
    const auto corner = [&](std::size_t i) { return above && i >= Step ? int(above[i - Step]) : 0; };
    switch (filter) {
    case 0: std::memcpy(to, from, n); return true;
    case 1:
        std::memcpy(to, from, std::min(Step, n));
        for (std::size_t i = Step; i < n; ++i) to[i] = std::uint8_t(from[i] + to[i - Step]);
        return true;
    case 2:
        if (!above) std::memcpy(to, from, n);
        else
            for (std::size_t i = 0; i < n; ++i) to[i] = std::uint8_t(from[i] + above[i]);
        return true;
    case 3:
        for (std::size_t i = 0; i < n; ++i) to[i] = std::uint8_t(from[i] + (left(i) + up(i)) / 2);
        return true;
    case 4:
        for (std::size_t i = 0; i < n; ++i) to[i] = std::uint8_t(from[i] + paeth(left(i), up(i), corner(i)));
        return true;
    default: return false;
    }
}
bool unfiltered(PixelFormat format, int filter, Bytes from, Bytes above, std::uint8_t* to, std::size_t n)
{
    switch (channels(format) * bytesPerSample(format)) {
    case 1: return unfiltered<1>(filter, from, above, to, n);
    case 2: return unfiltered<2>(filter, from, above, to, n);
    case 3: return unfiltered<3>(filter, from, above, to, n);
    default: return unfiltered<6>(filter, from, above, to, n);
    }
}
} // namespace

std::optional<Image> readUsualPng(const std::string& bytes)
{
    if (bytes.size() < 8 || std::memcmp(bytes.data(), "\x89PNG\r\n\x1a\n", 8) != 0) return std::nullopt;
    const auto parts = partsOf(bytes);
    if (!parts) return std::nullopt;
    const std::size_t n = parts->rowBytes(), whole = (n + 1) * parts->height;
    // What is stated must be able to be in the bytes before room is made for it.
    if (whole > kShortWay || double(whole) > double(parts->packed.size()) * 1032 + 4096) return std::nullopt;
    const std::unique_ptr<std::uint8_t[]> rows(new std::uint8_t[whole]);
    const std::unique_ptr<libdeflate_decompressor, void (*)(libdeflate_decompressor*)> inflate(
        libdeflate_alloc_decompressor(), libdeflate_free_decompressor);
    // Just as many bytes as stated, or it is not taken.
    if (!inflate || libdeflate_zlib_decompress(inflate.get(), parts->packed.data(), parts->packed.size(), rows.get(),
                                               whole, nullptr) != LIBDEFLATE_SUCCESS)
        return std::nullopt;
    Image out = Image::unwritten(int(parts->width), int(parts->height), parts->format);
    for (std::uint32_t y = 0; y < parts->height; ++y) {
        const Bytes row = rows.get() + y * (n + 1);
        if (!unfiltered(parts->format, row[0], row + 1, y ? out.row(int(y) - 1) : nullptr, out.row(int(y)), n))
            return std::nullopt;
    }
    if (bytesPerSample(parts->format) == 2) // stored with the high byte first
        for (int y = 0; y < out.height(); ++y) {
            std::uint8_t* row = out.row(y);
            for (std::size_t i = 0; i + 1 < n; i += 2) std::swap(row[i], row[i + 1]);
        }
    return out;
}

} // namespace image
