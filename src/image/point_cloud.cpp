#include "image/point_cloud.h"

#include <algorithm>
#include <bit>
#include <cctype>
#include <charconv>
#include <cmath>
#include <cstring>
#include <limits>

namespace image
{
using base::ErrorCode;
using base::fail;

namespace
{
struct Spot {
    double x, y, z;
};
using Spots = std::vector<Spot>;
constexpr double kFarthest = 1e9; // mm; beyond it a coordinate is no place

bool usable(const Spot& s)
{
    return std::abs(s.x) <= kFarthest && std::abs(s.y) <= kFarthest && std::abs(s.z) <= kFarthest; // a NaN is not
}
base::Status tooMany(std::size_t points, const std::string& name)
{
    if (points <= kMostPoints) return {};
    return fail(ErrorCode::OutOfRange,
                std::to_string(points) + " points; at most " + std::to_string(kMostPoints) + " are read", name);
}

bool isBreak(char c) { return c == ' ' || c == '\t' || c == ',' || c == ';' || c == '\r'; }
// The next number of a line; false: there is none, or it is none.
bool nextNumber(const char*& at, const char* end, double& out)
{
    while (at < end && isBreak(*at)) ++at;
    if (at < end && *at == '+') ++at;
    const auto [stop, error] = std::from_chars(at, end, out);
    if (error == std::errc::result_out_of_range) out = 0;
    else if (error != std::errc()) return false;
    if (stop < end && !isBreak(*stop)) return false;
    at = stop;
    return true;
}

base::Result<Spots> readLines(const std::string& bytes, const std::string& name)
{
    Spots out;
    std::size_t number = 0;
    bool headed = false;
    for (const char *at = bytes.data(), *all = at + bytes.size(); at < all;) {
        const char* end = static_cast<const char*>(std::memchr(at, '\n', std::size_t(all - at)));
        if (!end) end = all;
        ++number;
        const char* p = at;
        while (p < end && isBreak(*p)) ++p;
        const bool remark = p == end || *p == '#' || (*p == '/' && p + 1 < end && p[1] == '/');
        Spot s{};
        if (!remark) {
            if (nextNumber(p, end, s.x) && nextNumber(p, end, s.y) && nextNumber(p, end, s.z)) {
                if (usable(s)) out.push_back(s);
                if (auto ok = tooMany(out.size(), name); !ok) return base::passOn(ok.error());
            } else if (!headed && out.empty()) {
                headed = true;
            } else {
                return fail(ErrorCode::Corrupt, "line " + std::to_string(number) + " does not start with x, y and z",
                            name);
            }
        }
        at = end + 1;
    }
    return out;
}

enum class Number { Int8, UInt8, Int16, UInt16, Int32, UInt32, Float32, Float64 };
std::optional<Number> numberFrom(std::string_view w)
{
    if (w == "char" || w == "int8") return Number::Int8;
    if (w == "uchar" || w == "uint8") return Number::UInt8;
    if (w == "short" || w == "int16") return Number::Int16;
    if (w == "ushort" || w == "uint16") return Number::UInt16;
    if (w == "int" || w == "int32") return Number::Int32;
    if (w == "uint" || w == "uint32") return Number::UInt32;
    if (w == "float" || w == "float32") return Number::Float32;
    if (w == "double" || w == "float64") return Number::Float64;
    return std::nullopt;
}
std::size_t sizeOf(Number n)
{
    constexpr std::size_t bytes[] = {1, 1, 2, 2, 4, 4, 4, 8};
    return bytes[std::size_t(n)];
}
template <class T> double readAs(const char* at, bool turned)
{
    unsigned char b[sizeof(T)];
    std::memcpy(b, at, sizeof(T));
    if (turned) std::reverse(b, b + sizeof(T));
    T v;
    std::memcpy(&v, b, sizeof(T));
    return double(v);
}
double readNumber(Number n, const char* at, bool turned)
{
    switch (n) {
    case Number::Int8: return readAs<std::int8_t>(at, turned);
    case Number::UInt8: return readAs<std::uint8_t>(at, turned);
    case Number::Int16: return readAs<std::int16_t>(at, turned);
    case Number::UInt16: return readAs<std::uint16_t>(at, turned);
    case Number::Int32: return readAs<std::int32_t>(at, turned);
    case Number::UInt32: return readAs<std::uint32_t>(at, turned);
    case Number::Float32: return readAs<float>(at, turned);
    default: return readAs<double>(at, turned);
    }
}

struct Property {
    std::string name;
    Number type = Number::Float32;
    std::optional<Number> count; // of a list
};
struct Element {
    std::string name;
    std::uint64_t count = 0;
    std::vector<Property> properties;
};
enum class Storage { Text, Little, Big };
struct PlyHeader {
    Storage storage = Storage::Text;
    std::vector<Element> elements;
    std::size_t end = 0; // of the header, in bytes
};

std::vector<std::string> wordsOf(const std::string& line)
{
    std::vector<std::string> out;
    for (std::size_t i = 0; i < line.size();) {
        while (i < line.size() && std::isspace(static_cast<unsigned char>(line[i]))) ++i;
        const std::size_t from = i;
        while (i < line.size() && !std::isspace(static_cast<unsigned char>(line[i]))) ++i;
        if (i > from) out.push_back(line.substr(from, i - from));
    }
    return out;
}

constexpr std::size_t kLongestHeader = 64 << 10, kMostProperties = 256;
base::Result<PlyHeader> headerOf(const std::string& bytes, const std::string& name)
{
    PlyHeader h;
    bool storageSaid = false;
    const auto bad = [&](const std::string& what) {
        return fail(ErrorCode::Corrupt, "the PLY header is damaged: " + what, name);
    };
    std::size_t at = 0;
    for (int number = 1;; ++number) {
        const std::size_t end = bytes.find('\n', at);
        if (end == std::string::npos || end > kLongestHeader) return bad("\"end_header\" is missing");
        const auto w = wordsOf(bytes.substr(at, end - at));
        at = end + 1;
        if (w.empty() || w[0] == "comment" || w[0] == "obj_info" || (number == 1 && w[0] == "ply")) continue;
        const std::string line = "line " + std::to_string(number);
        if (w[0] == "end_header") break;
        if (w[0] == "format" && w.size() >= 3) {
            storageSaid = true;
            if (w[1] == "ascii") h.storage = Storage::Text;
            else if (w[1] == "binary_little_endian") h.storage = Storage::Little;
            else if (w[1] == "binary_big_endian") h.storage = Storage::Big;
            else return bad(line + " states the format \"" + w[1] + "\"");
        } else if (w[0] == "element" && w.size() == 3) {
            Element e;
            e.name = w[1];
            const auto [stop, error] = std::from_chars(w[2].data(), w[2].data() + w[2].size(), e.count);
            if (error != std::errc() || stop != w[2].data() + w[2].size()) return bad(line + " states no count");
            h.elements.push_back(std::move(e));
        } else if (w[0] == "property" && !h.elements.empty() && (w.size() == 3 || (w.size() == 5 && w[1] == "list"))) {
            Property p;
            const bool list = w.size() == 5;
            const auto type = numberFrom(w[list ? 3 : 1]);
            if (list) p.count = numberFrom(w[2]);
            if (!type || (list && !p.count)) return bad(line + " names a type that is not known");
            p.type = *type;
            p.name = w.back();
            h.elements.back().properties.push_back(std::move(p));
            if (h.elements.back().properties.size() > kMostProperties || h.elements.size() > kMostProperties)
                return bad("more than " + std::to_string(kMostProperties) + " properties");
        } else {
            return bad(line + " says nothing that is known");
        }
    }
    if (!storageSaid) return bad("\"format\" is missing");
    h.end = at;
    return h;
}

// Bytes of an entry without lists; 0: it has one.
std::size_t fixedSize(const Element& e)
{
    std::size_t sum = 0;
    for (const Property& p : e.properties) {
        if (p.count) return 0;
        sum += sizeOf(p.type);
    }
    return sum;
}

class PlyBody
{
public:
    PlyBody(const std::string& bytes, const PlyHeader& header, const std::string& name)
        : m_at(bytes.data() + header.end), m_end(bytes.data() + bytes.size()), m_header(header), m_name(name)
    {
    }
    base::Result<Spots> read()
    {
        Spots out;
        for (const Element& e : m_header.elements) {
            const bool wanted = e.name == "vertex";
            int places[3] = {-1, -1, -1};
            for (std::size_t i = 0; i < e.properties.size(); ++i)
                for (int k = 0; k < 3; ++k)
                    if (e.properties[i].name == std::string(1, char('x' + k)) && !e.properties[i].count)
                        places[k] = int(i);
            if (wanted && *std::min_element(places, places + 3) < 0)
                return fail(ErrorCode::Unsupported, "the PLY file's vertices have no x, y and z", m_name);
            // An entry takes a byte at least: more than that cannot be there.
            if (e.count > std::size_t(m_end - m_at) && !e.properties.empty()) return cutOff(e, 0);
            if (wanted)
                if (auto ok = tooMany(e.count, m_name); !ok) return base::passOn(ok.error());
            if (e.properties.empty()) continue;
            for (std::uint64_t n = 0; n < e.count; ++n) {
                double v[3] = {};
                if (!(m_header.storage == Storage::Text ? textEntry(e, places, v) : binaryEntry(e, places, v)))
                    return cutOff(e, n);
                if (const Spot s{v[0], v[1], v[2]}; wanted && usable(s)) out.push_back(s);
            }
            if (wanted) return out; // what follows is faces and so on
        }
        return fail(ErrorCode::Unsupported, "the PLY file has no vertices", m_name);
    }

private:
    base::Result<Spots> cutOff(const Element& e, std::uint64_t n) const
    {
        return fail(ErrorCode::Corrupt,
                    "the PLY file is damaged or cut off: " + e.name + " " + std::to_string(n + 1) + " of " +
                        std::to_string(e.count) + " is not whole",
                    m_name);
    }
    bool textEntry(const Element& e, const int* places, double* v)
    {
        const char* end = m_at;
        do {
            m_at = end;
            while (m_at < m_end && (*m_at == '\n' || isBreak(*m_at))) ++m_at;
            if (m_at >= m_end) return false;
            const void* found = std::memchr(m_at, '\n', std::size_t(m_end - m_at));
            end = found ? static_cast<const char*>(found) : m_end;
        } while (*m_at == '#');
        for (std::size_t i = 0; i < e.properties.size(); ++i) {
            double x = 0;
            if (!nextNumber(m_at, end, x)) return false;
            if (e.properties[i].count)
                for (double k = 0, n = x; k < n; ++k)
                    if (!nextNumber(m_at, end, x)) return false;
            for (int k = 0; k < 3; ++k)
                if (places[k] == int(i)) v[k] = x;
        }
        m_at = end;
        return true;
    }
    bool binaryEntry(const Element& e, const int* places, double* v)
    {
        const bool turned = (m_header.storage == Storage::Big) != (std::endian::native == std::endian::big);
        if (const std::size_t size = fixedSize(e); size > std::size_t(m_end - m_at)) return false;
        for (std::size_t i = 0; i < e.properties.size(); ++i) {
            const Property& p = e.properties[i];
            if (p.count) {
                const std::size_t head = sizeOf(*p.count);
                if (head > std::size_t(m_end - m_at)) return false;
                const double n = readNumber(*p.count, m_at, turned);
                m_at += head;
                if (!(n >= 0) || n * double(sizeOf(p.type)) > double(m_end - m_at)) return false;
                m_at += std::size_t(n) * sizeOf(p.type);
                continue;
            }
            const std::size_t size = sizeOf(p.type);
            if (size > std::size_t(m_end - m_at)) return false;
            for (int k = 0; k < 3; ++k)
                if (places[k] == int(i)) v[k] = readNumber(p.type, m_at, turned);
            m_at += size;
        }
        return true;
    }
    const char *m_at, *m_end;
    const PlyHeader& m_header;
    const std::string& m_name;
};

bool isPly(const std::string& bytes)
{
    return bytes.compare(0, 4, "ply\n") == 0 || bytes.compare(0, 5, "ply\r\n") == 0;
}

// About how far apart the points lie: the median step along x between points that follow each other in a row of a
// raster, else from how many there are on how much area.
double pitchOf(const Spots& all, double wide, double high)
{
    std::vector<double> steps;
    for (std::size_t i = 1; i < all.size() && steps.size() < 20000; ++i) {
        const double dx = std::abs(all[i].x - all[i - 1].x), dy = std::abs(all[i].y - all[i - 1].y);
        if (std::max(dx, dy) > 0 && std::min(dx, dy) < 0.05 * std::max(dx, dy)) steps.push_back(std::max(dx, dy));
    }
    if (steps.size() > 10 && steps.size() * 4 > std::min<std::size_t>(all.size(), 20000)) {
        std::nth_element(steps.begin(), steps.begin() + std::ptrdiff_t(steps.size() / 2), steps.end());
        return steps[steps.size() / 2];
    }
    return std::sqrt(std::max(wide * high, 1e-12) / double(all.size()));
}
std::string shortNumber(double x)
{
    char text[32];
    std::snprintf(text, sizeof text, "%.3g", x);
    return text;
}
} // namespace

bool looksLikeCloud(const std::string& bytes, const std::string& name)
{
    std::string end = name.substr(name.find_last_of('.') == std::string::npos ? name.size() : name.find_last_of('.'));
    std::transform(end.begin(), end.end(), end.begin(), [](unsigned char c) { return char(std::tolower(c)); });
    return isPly(bytes) || end == ".xyz";
}

base::Result<Image> decodeCloud(const std::string& bytes, const HeightScale& scale, const std::string& name)
{
    Spots all;
    if (isPly(bytes)) {
        auto header = headerOf(bytes, name);
        if (!header) return base::passOn(header.error());
        auto read = PlyBody(bytes, *header, name).read();
        if (!read) return base::passOn(read.error());
        all = std::move(*read);
    } else {
        auto read = readLines(bytes, name);
        if (!read) return base::passOn(read.error());
        all = std::move(*read);
    }
    if (all.empty()) return fail(ErrorCode::NoResult, "the file holds not one point", name);
    double left = all[0].x, right = left, bottom = all[0].y, top = bottom;
    for (const Spot& s : all) {
        left = std::min(left, s.x), right = std::max(right, s.x);
        bottom = std::min(bottom, s.y), top = std::max(top, s.y);
    }
    const double pitch = scale.pixelMm;
    if (!(pitch > 0))
        return fail(ErrorCode::InvalidArgument,
                    "a point cloud is laid on a raster, and no pitch is stated (pixel_mm): the points lie about " +
                        shortNumber(pitchOf(all, right - left, top - bottom)) + " mm apart",
                    name);
    const HeightScale::Raster& r = scale.raster;
    if (r.width > 0 && r.height > 0) left = r.leftMm, top = r.topMm;
    const double w = r.width > 0 ? r.width : std::floor((right - left) / pitch + 0.5) + 1,
                 h = r.height > 0 ? r.height : std::floor((top - bottom) / pitch + 0.5) + 1;
    if (w * h > kLargestRaster || w > 200'000 || h > 200'000)
        return fail(ErrorCode::OutOfRange,
                    "a pitch of " + shortNumber(pitch) + " mm makes a raster of " + shortNumber(w) + " × " +
                        shortNumber(h) + " cells; at most " + shortNumber(kLargestRaster) +
                        " are possible; the points lie about " + shortNumber(pitchOf(all, right - left, top - bottom)) +
                        " mm apart",
                    name);
    const int width = int(w), height = int(h);
    std::vector<float> counts(std::size_t(width) * std::size_t(height), 0.0f);
    std::vector<double> sums(counts.size(), 0.0);
    for (const Spot& s : all) {
        const double x = std::floor((s.x - left) / pitch + 0.5), y = std::floor((top - s.y) / pitch + 0.5);
        if (x < 0 || y < 0 || x >= w || y >= h) continue;
        const std::size_t at = std::size_t(y) * std::size_t(width) + std::size_t(x);
        sums[at] += s.z;
        counts[at] += 1;
    }
    Image out = Image::unwritten(width, height, PixelFormat::Real32);
    for (int y = 0; y < height; ++y) {
        auto* row = reinterpret_cast<float*>(out.row(y));
        for (int x = 0; x < width; ++x) {
            const std::size_t at = std::size_t(y) * std::size_t(width) + std::size_t(x);
            row[x] = counts[at] > 0 ? float(sums[at] / double(counts[at])) : std::numeric_limits<float>::quiet_NaN();
        }
    }
    return out;
}

} // namespace image
