#include "drawing/dxf.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <dxflib/dl_creationadapter.h>
#include <dxflib/dl_dxf.h>
#include <memory>
#include <set>
#include <sstream>
#include <string_view>

namespace drawing
{
using base::ErrorCode;
using base::fail;
using geometry::kPi;
using geometry::Point;

namespace
{
constexpr int kDeepest = 32; // blocks in blocks
constexpr double kFarthest = 1e7;

// ---- the text as pairs of code and value, before the package sees it
struct Glance {
    LengthUnit unit = LengthUnit::Unstated;
    std::map<std::string, int> entities;
    std::map<std::pair<std::string, std::string>, int> others; // type, layer
};
const std::set<std::string, std::less<>> kRead{"LINE",       "ARC",      "CIRCLE", "ELLIPSE",
                                               "LWPOLYLINE", "POLYLINE", "SPLINE", "INSERT"};
const std::set<std::string, std::less<>> kParts{"VERTEX", "SEQEND", "ATTRIB", "ATTDEF",
                                                "BLOCK",  "ENDBLK", "ENDSEC", "SECTION"};

LengthUnit unitOfCode(int code)
{
    switch (code) {
    case 1: return LengthUnit::Inch;
    case 2: return LengthUnit::Foot;
    case 4: return LengthUnit::Millimetre;
    case 5: return LengthUnit::Centimetre;
    case 6: return LengthUnit::Metre;
    case 9: return LengthUnit::ThousandthInch;
    case 13: return LengthUnit::Micrometre;
    default: return LengthUnit::Unstated;
    }
}

class Pairs
{
public:
    explicit Pairs(const std::string& text) : m_text(text) {}
    bool next()
    {
        std::string_view first;
        if (!line(first) || !line(value)) return false;
        ++count;
        code = -1;
        std::from_chars(first.data(), first.data() + first.size(), code);
        return true;
    }
    int code = 0;
    std::string_view value;
    std::size_t count = 0;

private:
    bool line(std::string_view& out)
    {
        if (m_at >= m_text.size()) return false;
        std::size_t end = m_text.find('\n', m_at);
        if (end == std::string::npos) end = m_text.size();
        out = std::string_view(m_text).substr(m_at, end - m_at);
        while (!out.empty() && (out.front() == ' ' || out.front() == '\t')) out.remove_prefix(1);
        while (!out.empty() && (out.back() == ' ' || out.back() == '\r' || out.back() == '\t')) out.remove_suffix(1);
        m_at = end + 1;
        return true;
    }
    const std::string& m_text;
    std::size_t m_at = 0;
};
int wholeOf(std::string_view text)
{
    int out = 0;
    std::from_chars(text.data(), text.data() + text.size(), out);
    return out;
}

// Counts what there is and refuses what no reader should be given.
base::Result<Glance> glance(const std::string& text)
{
    const auto pairs = std::size_t(std::count(text.begin(), text.end(), '\n') / 2 + 1);
    Glance out;
    Pairs p(text);
    std::string section, variable, type, layer;
    bool named = false, paper = false, any = false;
    const auto close = [&] {
        if (type.empty() || (section != "ENTITIES" && section != "BLOCKS") || kParts.count(type)) return;
        if (section == "ENTITIES" && !paper) ++out.entities[type];
        if (!kRead.count(type) && !paper) ++out.others[{type, layer}];
    };
    while (p.next()) {
        if (p.code == 0) {
            close();
            type = p.value;
            layer = "0";
            paper = false;
            named = type == "SECTION";
            any = any || named;
            if (type == "ENDSEC") section.clear();
            continue;
        }
        if (named && p.code == 2) {
            section = p.value;
            named = false;
        } else if (p.code == 9 && section == "HEADER") {
            variable = p.value;
        } else if (p.code == 70 && variable == "$INSUNITS") {
            out.unit = unitOfCode(wholeOf(p.value));
            variable.clear();
        } else if (p.code == 8) {
            layer = p.value;
        } else if (p.code == 67) {
            paper = wholeOf(p.value) == 1;
        } else if ((p.code == 90 && type == "LWPOLYLINE") || (p.code >= 72 && p.code <= 74 && type == "SPLINE") ||
                   ((p.code == 91 || p.code == 93 || p.code == 95 || p.code == 96) && type == "HATCH") ||
                   (p.code == 76 && type == "LEADER")) {
            const int n = wholeOf(p.value);
            if (n < 0 || std::size_t(n) > pairs)
                return fail(ErrorCode::InvalidArgument, "a " + type + " on layer \"" + layer + "\" says it has " +
                                                            std::string(p.value) +
                                                            " parts, more than the file can hold");
        }
    }
    close();
    if (!any) return fail(ErrorCode::InvalidArgument, "this is no DXF drawing: it has no section");
    return out;
}

// ---- places: a plane carried by a placing
struct Affine {
    double a = 1, b = 0, c = 0, d = 1, x = 0, y = 0; // (a b; c d), y up
    Point map(Point p) const { return {a * p.x + b * p.y + x, c * p.x + d * p.y + y}; }
    Point turn(Point p) const { return {a * p.x + b * p.y, c * p.x + d * p.y}; }
    Affine after(const Affine& f) const // this, then f
    {
        return {f.a * a + f.b * c, f.a * b + f.b * d,       f.c * a + f.d * c,
                f.c * b + f.d * d, f.a * x + f.b * y + f.x, f.c * x + f.d * y + f.y};
    }
};
const Affine kMirrored{-1, 0, 0, 1, 0, 0};

struct Spline {
    int degree = 3;
    bool closed = false;
    std::vector<double> knots;
    std::vector<std::array<double, 3>> control; // x, y, weight
    int fitPoints = 0;
};
struct Primitive {
    enum class Kind { Line, Conic, Spline } kind = Kind::Line;
    Point a, b;            // line, y up
    Point c, u, v;         // conic: c + u cos t + v sin t
    double t0 = 0, t1 = 0; // t0 < t1
    std::shared_ptr<Spline> spline;
    std::string layer;
    int entity = 0;
};
struct Insert {
    std::string block, layer;
    Affine place;
    int columns = 1, rows = 1;
    Point columnStep, rowStep; // in the insert's own turned frame
    int entity = 0;
};
struct Block {
    std::vector<Primitive> primitives;
    std::vector<Insert> inserts;
    Point base;
};

class Reader : public DL_CreationAdapter
{
public:
    Block model;
    std::map<std::string, Block> blocks;
    std::map<std::string, bool> layers; // off
    std::vector<std::string> layerOrder;
    std::map<std::array<std::string, 3>, int> notRead; // type, layer, why

    void addLayer(const DL_LayerData& data) override
    {
        // Frozen, or a colour below zero: not shown.
        if (!layers.count(data.name)) layerOrder.push_back(data.name);
        layers[data.name] = (data.flags & 1) != 0 || attributes.getColor() < 0;
    }
    void addBlock(const DL_BlockData& data) override
    {
        flush();
        m_block = &blocks[data.name];
        m_block->base = {data.bpx, data.bpy};
        const std::string& n = data.name;
        m_paper =
            n.size() >= 12 && (n[0] == '*' || n[0] == '$') && (n.substr(1, 5) == "Paper" || n.substr(1, 5) == "PAPER");
    }
    void endBlock() override
    {
        flush();
        m_block = nullptr;
        m_paper = false;
    }
    void addLine(const DL_LineData& d) override
    {
        if (!begin()) return;
        Primitive p;
        p.a = {d.x1, d.y1};
        p.b = {d.x2, d.y2};
        add(std::move(p), "LINE", false);
    }
    void addArc(const DL_ArcData& d) override
    {
        if (!begin()) return;
        double from = geometry::radians(d.angle1), to = geometry::radians(d.angle2);
        while (to <= from + 1e-12) to += 2 * kPi;
        while (to > from + 2 * kPi + 1e-12) to -= 2 * kPi;
        add(conic({d.cx, d.cy}, {d.radius, 0}, {0, d.radius}, from, to), "ARC", true);
    }
    void addCircle(const DL_CircleData& d) override
    {
        if (!begin()) return;
        add(conic({d.cx, d.cy}, {d.radius, 0}, {0, d.radius}, 0, 2 * kPi), "CIRCLE", true);
    }
    void addEllipse(const DL_EllipseData& d) override
    {
        if (!begin()) return;
        const Point u{d.mx, d.my};
        const double way = extrusion->getDirection()[2] < 0 ? -1 : 1;
        double from = d.angle1, to = d.angle2;
        while (to <= from + 1e-12) to += 2 * kPi;
        while (to > from + 2 * kPi + 1e-12) to -= 2 * kPi;
        add(conic({d.cx, d.cy}, u, Point{-u.y, u.x} * (d.ratio * way), from, to), "ELLIPSE", false);
    }
    void addPolyline(const DL_PolylineData& d) override
    {
        if (!begin()) return;
        m_polyline = true;
        m_flags = d.flags;
        remember();
    }
    void addVertex(const DL_VertexData& d) override
    {
        if (m_polyline) m_vertices.push_back({d.x, d.y, d.bulge});
    }
    void endSequence() override { flush(); }
    void addSpline(const DL_SplineData& d) override
    {
        if (!begin()) return;
        m_spline = std::make_shared<Spline>();
        m_spline->degree = int(d.degree);
        m_spline->fitPoints = int(d.nFit);
        remember();
    }
    void addKnot(const DL_KnotData& d) override
    {
        if (m_spline) m_spline->knots.push_back(d.k);
    }
    void addControlPoint(const DL_ControlPointData& d) override
    {
        if (m_spline) m_spline->control.push_back({d.x, d.y, d.w});
    }
    void addInsert(const DL_InsertData& d) override
    {
        if (!begin()) return;
        Insert i;
        i.block = d.name;
        i.layer = attributes.getLayer();
        i.entity = m_entity;
        const double c = std::cos(geometry::radians(d.angle)), s = std::sin(geometry::radians(d.angle));
        i.place = {c * d.sx, -s * d.sy, s * d.sx, c * d.sy, d.ipx, d.ipy};
        i.columns = std::max(1, d.cols);
        i.rows = std::max(1, d.rows);
        i.columnStep = Point{c, s} * d.colSp;
        i.rowStep = Point{-s, c} * d.rowSp;
        if (double(i.columns) * i.rows > double(kMostElements)) {
            ++notRead[{"INSERT", i.layer, "rows and columns beyond count"}];
            return;
        }
        if (!fromAbove("INSERT")) return;
        if (below()) {
            i.place = i.place.after(kMirrored);
            i.columnStep.x = -i.columnStep.x;
            i.rowStep.x = -i.rowStep.x;
        }
        target().inserts.push_back(std::move(i));
    }
    void endSection() override { flush(); }
    void flush()
    {
        if (m_polyline) flushPolyline();
        if (m_spline) flushSpline();
        m_polyline = false;
        m_vertices.clear();
        m_spline.reset();
    }

private:
    Block& target() { return m_block ? *m_block : model; }
    bool below() { return extrusion->getDirection()[2] < 0; }
    // Every entity begins here; nothing of paper is taken.
    bool begin()
    {
        flush();
        if (attributes.isInPaperSpace() || m_paper) return false;
        ++m_entity;
        return true;
    }
    void remember()
    {
        m_layer = attributes.getLayer();
        m_below = below();
        m_z = extrusion->getDirection()[2];
    }
    bool fromAbove(const char* type)
    {
        const double* n = extrusion->getDirection();
        if (std::abs(n[0]) < 1e-6 && std::abs(n[1]) < 1e-6) return true;
        ++notRead[{type, attributes.getLayer(), "not seen from above"}];
        return false;
    }
    static Primitive conic(Point c, Point u, Point v, double t0, double t1)
    {
        Primitive p;
        p.kind = Primitive::Kind::Conic;
        p.c = c;
        p.u = u;
        p.v = v;
        p.t0 = t0;
        p.t1 = t1;
        return p;
    }
    void add(Primitive p, const char* type, bool own)
    {
        if (own && !fromAbove(type)) return;
        if (own && below()) {
            p.c.x = -p.c.x;
            p.u.x = -p.u.x;
            p.v.x = -p.v.x;
        }
        p.layer = attributes.getLayer();
        p.entity = m_entity;
        target().primitives.push_back(std::move(p));
    }
    void flushPolyline()
    {
        if (m_flags & (16 | 64)) {
            ++notRead[{"POLYLINE", m_layer, "a mesh"}];
            return;
        }
        if (m_below)
            for (auto& v : m_vertices) {
                v[0] = -v[0];
                v[2] = -v[2];
            }
        const std::size_t n = m_vertices.size(), sides = m_flags & 1 ? n : n - (n > 0);
        for (std::size_t i = 0; i < sides && n > 1; ++i) {
            const auto &from = m_vertices[i], &to = m_vertices[(i + 1) % n];
            const Point a{from[0], from[1]}, b{to[0], to[1]};
            if (a == b) continue;
            Primitive p;
            if (std::abs(from[2]) < 1e-9) {
                p.a = a;
                p.b = b;
            } else {
                // Bulge: tangent of a quarter of the arc, positive counter-clockwise.
                const double bulge = from[2], chord = geometry::distance(a, b);
                const double radius = chord * (1 + bulge * bulge) / (4 * std::abs(bulge));
                const Point along = geometry::unit(b - a), left{-along.y, along.x};
                const double off = chord * (1 - bulge * bulge) / (4 * bulge);
                const Point centre = (a + b) * 0.5 + left * off;
                const Point s = bulge > 0 ? a - centre : b - centre;
                const double t0 = std::atan2(s.y, s.x);
                p = conic(centre, {radius, 0}, {0, radius}, t0, t0 + 4 * std::atan(std::abs(bulge)));
            }
            p.layer = m_layer;
            p.entity = m_entity;
            target().primitives.push_back(std::move(p));
        }
    }
    void flushSpline()
    {
        const Spline& s = *m_spline;
        const std::size_t n = s.control.size();
        if (n == 0) {
            ++notRead[{"SPLINE", m_layer, s.fitPoints > 0 ? "only points it runs through" : "no control points"}];
            return;
        }
        if (s.degree < 1 || s.degree > 24 || n <= std::size_t(s.degree) ||
            s.knots.size() != n + std::size_t(s.degree) + 1 || !std::is_sorted(s.knots.begin(), s.knots.end())) {
            ++notRead[{"SPLINE", m_layer, "knots that do not fit its points"}];
            return;
        }
        Primitive p;
        p.kind = Primitive::Kind::Spline;
        p.spline = m_spline;
        p.layer = m_layer;
        p.entity = m_entity;
        target().primitives.push_back(std::move(p));
    }

    Block* m_block = nullptr;
    bool m_paper = false, m_polyline = false, m_below = false;
    int m_flags = 0, m_entity = 0;
    double m_z = 1;
    std::string m_layer;
    std::vector<std::array<double, 3>> m_vertices;
    std::shared_ptr<Spline> m_spline;
};

// ---- everything placed, in mm
class Placer
{
public:
    Placer(const Reader& reader, double mm) : m_reader(reader), m_mm(mm)
    {
        for (const std::string& layer : reader.layerOrder) layerIndex(layer);
        for (auto& l : out.layers) l.off = reader.layers.at(l.name);
    }
    base::Status place(const Block& block, const Affine& by, const std::string& layer, int entity, int depth)
    {
        if (depth > kDeepest)
            return fail(ErrorCode::InvalidArgument, "blocks stand in each other more than " + std::to_string(kDeepest) +
                                                        " deep: one places itself");
        for (const Primitive& p : block.primitives) {
            const std::string& on = p.layer == "0" && !layer.empty() ? layer : p.layer;
            if (auto ok = put(p, by, layerIndex(on), entity ? entity : p.entity); !ok) return ok;
        }
        for (const Insert& i : block.inserts) {
            const std::string& on = i.layer == "0" && !layer.empty() ? layer : i.layer;
            const auto of = m_reader.blocks.find(i.block);
            if (of == m_reader.blocks.end()) {
                ++missing[{i.block, on}];
                continue;
            }
            for (int r = 0; r < i.rows; ++r)
                for (int c = 0; c < i.columns; ++c) {
                    Affine own = i.place;
                    const Point shift = i.columnStep * c + i.rowStep * r;
                    const Point base = own.turn(of->second.base);
                    own.x += shift.x - base.x;
                    own.y += shift.y - base.y;
                    if (auto ok = place(of->second, own.after(by), on, entity ? entity : i.entity, depth + 1); !ok)
                        return ok;
                    if (++m_placed > int(kMostElements))
                        return fail(ErrorCode::OutOfRange,
                                    "more than " + std::to_string(kMostElements) + " blocks are placed");
                }
        }
        return {};
    }
    Drawing out;
    std::map<std::pair<std::string, std::string>, int> missing;

private:
    int layerIndex(const std::string& name)
    {
        const auto [it, fresh] = m_layers.emplace(name, int(out.layers.size()));
        if (fresh) out.layers.push_back({name, 0, false});
        return it->second;
    }
    base::Status add(Element e, int layer, int entity)
    {
        for (const Point p : {e.from, e.to, e.arc ? e.centre : e.from})
            if (!(std::abs(p.x) <= kFarthest && std::abs(p.y) <= kFarthest))
                return fail(ErrorCode::OutOfRange, "entity " + std::to_string(entity) + " on layer \"" +
                                                       out.layers[std::size_t(layer)].name + "\" lies beyond 1e7 mm");
        if (!(e.length() > 1e-9)) return {}; // a point
        if (out.elements.size() >= kMostElements)
            return fail(ErrorCode::OutOfRange, "more than " + std::to_string(kMostElements) + " lines and arcs");
        e.layer = layer;
        e.entity = entity;
        ++out.layers[std::size_t(layer)].elements;
        out.elements.push_back(e);
        return {};
    }
    Point mm(Point up) const { return {up.x * m_mm, -up.y * m_mm}; }
    base::Status put(const Primitive& p, const Affine& by, int layer, int entity)
    {
        if (p.kind == Primitive::Kind::Line) return add(lineElement(mm(by.map(p.a)), mm(by.map(p.b))), layer, entity);
        if (p.kind == Primitive::Kind::Spline) return putSpline(*p.spline, by, layer, entity);
        const Point c = by.map(p.c), u = by.turn(p.u), v = by.turn(p.v);
        const double lu = geometry::length(u), lv = geometry::length(v), size = std::max(lu, lv);
        const double way = u.x * v.y - u.y * v.x;
        if (std::abs(lu - lv) < 1e-9 * size && std::abs(geometry::dot(u, v)) < 1e-9 * size * size && size > 0) {
            const double turn = std::atan2(u.y, u.x), sweep = std::min(p.t1 - p.t0, 2 * kPi);
            const double start = way > 0 ? turn + p.t0 : turn - p.t1;
            return add(arcElement(mm(c), size * m_mm, start, sweep), layer, entity);
        }
        if (!(std::abs(way) > 1e-18)) return {};
        // Pieces of equal parameter: the chord of an angle h on the longer radius is off by r (1 - cos h/2).
        const double most = kChordError / m_mm;
        const double step = 2 * std::acos(std::clamp(1 - most / size, -1.0, 1.0));
        const int n = std::clamp(int(std::ceil((p.t1 - p.t0) / std::max(step, 1e-5))), 8, 200000);
        const auto at = [&](double t) { return c + u * std::cos(t) + v * std::sin(t); };
        const bool closed = p.t1 - p.t0 > 2 * kPi - 1e-9;
        const Point first = at(p.t0);
        Point before = first;
        for (int i = 1; i <= n; ++i) {
            const double t = p.t0 + (p.t1 - p.t0) * i / n, h = p.t0 + (p.t1 - p.t0) * (i - 0.5) / n;
            const Point now = i == n && closed ? first : at(t);
            Element e = lineElement(mm(before), mm(now));
            e.piece = true;
            const double speed = geometry::length(v * std::cos(h) - u * std::sin(h));
            e.curvature = way / (speed * speed * speed) / m_mm;
            if (auto ok = add(e, layer, entity); !ok) return ok;
            before = now;
        }
        return {};
    }
    // De Boor's recursion on weighted points.
    static Point splineAt(const Spline& s, std::size_t span, double t)
    {
        const auto k = std::size_t(s.degree);
        std::array<std::array<double, 3>, 25> d{};
        for (std::size_t j = 0; j <= k; ++j) {
            const auto& c = s.control[span - k + j];
            d[j] = {c[0] * c[2], c[1] * c[2], c[2]};
        }
        for (std::size_t r = 1; r <= k; ++r)
            for (std::size_t j = k; j >= r; --j) {
                const double low = s.knots[span - k + j], high = s.knots[span + 1 + j - r];
                const double a = high > low ? (t - low) / (high - low) : 0;
                for (std::size_t i = 0; i < 3; ++i) d[j][i] = d[j - 1][i] * (1 - a) + d[j][i] * a;
            }
        const double w = d[k][2];
        return w != 0 ? Point{d[k][0] / w, d[k][1] / w} : Point{d[k][0], d[k][1]};
    }
    base::Status putSpline(const Spline& s, const Affine& by, int layer, int entity)
    {
        std::vector<Point> points; // mm
        const auto k = std::size_t(s.degree);
        for (std::size_t span = k; span < s.control.size(); ++span) {
            const double from = s.knots[span], to = s.knots[span + 1];
            if (!(to > from)) continue;
            const auto at = [&](double t) { return mm(by.map(splineAt(s, span, t))); };
            if (points.empty()) points.push_back(at(from));
            halve(at, from, to, points.back(), at(to), 0, k > 1 ? 2 : 0, points);
            if (points.size() > kMostElements)
                return fail(ErrorCode::OutOfRange,
                            "a spline falls into more than " + std::to_string(kMostElements) + " pieces");
        }
        if (points.size() > 2 && geometry::distance(points.front(), points.back()) < 1e-6)
            points.back() = points.front();
        const bool closed = points.size() > 2 && points.front() == points.back();
        const std::size_t n = points.size();
        for (std::size_t i = 0; i + 1 < n; ++i) {
            Element e = lineElement(points[i], points[i + 1]);
            e.piece = k > 1;
            // Of the circle through the middles of the pieces beside it.
            const Point a = i > 0 ? points[i - 1] : closed ? points[n - 2] : points[i];
            const Point b = i + 2 < n ? points[i + 2] : closed ? points[1] : points[i + 1];
            const double turn = std::atan2(geometry::cross(points[i] - a, b - points[i + 1]),
                                           geometry::dot(points[i] - a, b - points[i + 1]));
            const double way =
                geometry::distance(a, points[i]) / 2 + e.length() + geometry::distance(points[i + 1], b) / 2;
            if (e.piece && way > 0) e.curvature = -turn / way; // y is down: the cross product's sign is turned
            if (auto ok = add(e, layer, entity); !ok) return ok;
        }
        return {};
    }
    template <class At>
    static void halve(const At& at, double t0, double t1, Point a, Point b, int depth, int least,
                      std::vector<Point>& out)
    {
        const double half = (t0 + t1) / 2;
        const Point m = at(half);
        // Two more places, so that a double bend is not taken for a line.
        double off = 0;
        for (const double f : {0.25, 0.5, 0.75}) {
            const Point p = f == 0.5 ? m : at(t0 + (t1 - t0) * f);
            off = std::max(off, lineElement(a, b).distanceTo(p));
        }
        if (depth >= least && (off <= kChordError || depth >= 16)) {
            out.push_back(b);
            return;
        }
        halve(at, t0, half, a, m, depth + 1, least, out);
        halve(at, half, t1, m, b, depth + 1, least, out);
    }

    const Reader& m_reader;
    double m_mm;
    int m_placed = 0;
    std::map<std::string, int> m_layers;
};
} // namespace

base::Result<Drawing> readDxf(const std::string& bytes, std::optional<LengthUnit> unit)
{
    if (bytes.find('\0') != std::string::npos)
        return fail(ErrorCode::InvalidArgument, "this is the binary form of DXF or no drawing at all; save it as text");
    auto seen = glance(bytes);
    if (!seen) return base::passOn(seen.error());
    Reader reader;
    try {
        std::istringstream stream(bytes);
        DL_Dxf package;
        if (!package.in(stream, &reader)) return fail(ErrorCode::InvalidArgument, "this is no DXF drawing");
    } catch (const std::exception& e) {
        return fail(ErrorCode::InvalidArgument, std::string("the drawing cannot be read: ") + e.what());
    }
    reader.flush();
    const LengthUnit taken = unit.value_or(seen->unit);
    Placer placer(reader, mmOf(taken));
    if (auto ok = placer.place(reader.model, {}, {}, 0, 0); !ok) return base::passOn(ok.error());
    Drawing out = std::move(placer.out);
    out.unit = seen->unit;
    out.scale = mmOf(taken);
    out.entities = std::move(seen->entities);
    for (const auto& [what, count] : seen->others)
        out.notRead.push_back({what.first, what.second, "holds no outline this program reads", count});
    for (const auto& [what, count] : reader.notRead) out.notRead.push_back({what[0], what[1], what[2], count});
    for (const auto& [what, count] : placer.missing)
        out.notRead.push_back({"INSERT", what.second, "block \"" + what.first + "\" is not in the file", count});
    if (out.elements.empty()) {
        std::string what;
        for (const NotRead& n : out.notRead)
            what += (what.empty() ? ": " : ", ") + std::to_string(n.count) + " " + n.type;
        return fail(ErrorCode::NotFound, "the drawing holds no line, arc or curve" + what);
    }
    return out;
}

} // namespace drawing
