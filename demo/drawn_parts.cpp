#include "demo/drawn_parts.h"

#include <array>
#include <cmath>

namespace demo
{
using drawing::DrawnPoint;
using drawing::Element;
using geometry::kPi;
using geometry::Point;

Pencil& Pencil::on(std::string layer)
{
    for (std::size_t i = 0; i < m_drawing.layers.size(); ++i)
        if (m_drawing.layers[i].name == layer) {
            m_layer = int(i);
            return *this;
        }
    m_layer = int(m_drawing.layers.size());
    m_drawing.layers.push_back({std::move(layer), 0, false});
    m_drawing.unit = drawing::LengthUnit::Millimetre;
    return *this;
}
void Pencil::add(Element e)
{
    if (e.length() < 1e-9) return;
    e.layer = m_layer;
    e.entity = int(m_drawing.elements.size()) + 1;
    ++m_drawing.layers[std::size_t(m_layer)].elements;
    m_drawing.elements.push_back(e);
}
Pencil& Pencil::line(DrawnPoint a, DrawnPoint b)
{
    add(drawing::lineElement(drawing::sheet(a), drawing::sheet(b)));
    return *this;
}
Pencil& Pencil::arc(DrawnPoint centre, double radius, double from, double to)
{
    add(drawing::arcElement(drawing::sheet(centre), radius, geometry::radians(from), geometry::radians(to - from)));
    return *this;
}
Pencil& Pencil::circle(DrawnPoint centre, double radius) { return arc(centre, radius, 0, 360); }
Pencil& Pencil::polygon(const std::vector<DrawnPoint>& corners, std::vector<double> radii)
{
    const std::size_t n = corners.size();
    radii.resize(n, radii.empty() ? 0 : radii.back());
    std::vector<Point> begins(n), ends(n);
    for (std::size_t i = 0; i < n; ++i) {
        const Point p = drawing::sheet(corners[i]), before = drawing::sheet(corners[(i + n - 1) % n]),
                    after = drawing::sheet(corners[(i + 1) % n]);
        const Point in = geometry::unit(p - before), out = geometry::unit(after - p);
        const double turn = std::atan2(geometry::cross(in, out), geometry::dot(in, out)); // y down: < 0 to the left
        const double back = radii[i] * std::tan(std::abs(turn) / 2);
        begins[i] = p - in * back;
        ends[i] = p + out * back;
        if (radii[i] <= 0) continue;
        const Point normal = turn < 0 ? geometry::leftOf(in) : geometry::leftOf(in) * -1;
        const Point centre = begins[i] + normal * radii[i];
        const double a = geometry::angleOf(begins[i] - centre), b = geometry::angleOf(ends[i] - centre);
        Element e = drawing::arcElement(centre, radii[i], turn < 0 ? a : b, std::abs(turn));
        e.from = turn < 0 ? begins[i] : ends[i];
        e.to = turn < 0 ? ends[i] : begins[i];
        add(e);
    }
    for (std::size_t i = 0; i < n; ++i) add(drawing::lineElement(ends[i], begins[(i + 1) % n]));
    return *this;
}
Pencil& Pencil::box(double left, double bottom, double right, double top, double radius)
{
    return polygon({{left, bottom}, {right, bottom}, {right, top}, {left, top}}, {radius});
}
Pencil& Pencil::slot(DrawnPoint a, DrawnPoint b, double radius)
{
    const Point p = drawing::sheet(a), q = drawing::sheet(b), way = geometry::unit(q - p);
    const Point side = geometry::leftOf(way) * radius;
    add(drawing::lineElement(p + side, q + side));
    add(drawing::lineElement(p - side, q - side));
    const double angle = geometry::angleOf(way);
    add(drawing::arcElement(p, radius, angle + kPi / 2, kPi));
    add(drawing::arcElement(q, radius, angle - kPi / 2, kPi));
    return *this;
}

const char* drawnPartName(int n)
{
    constexpr std::array names{"plate",    "rounded box", "square", "washer", "bracket", "slot",
                               "triangle", "gasket",      "flat",   "tee",    "hexagon", "cam"};
    return names[std::size_t(n) % names.size()];
}

drawing::Drawing drawnPart(int n)
{
    Pencil p;
    switch (n % kDrawnParts) {
    case 0:
        p.box(0, 0, 50, 20, 1)
            .on("holes")
            .circle({4, 4}, 1.6)
            .circle({46, 4}, 1.6)
            .circle({4, 16}, 1.6)
            .circle({40, 15}, 2);
        for (int i = 0; i < 4; ++i) p.box(10 + 7 * i, 5, 12 + 7 * i, 15);
        break;
    case 1: p.box(0, 0, 40, 24, 5); break;
    case 2: p.box(-12, -12, 12, 12); break;
    case 3: p.circle({10, 10}, 14).on("holes").circle({10, 10}, 6); break;
    case 4:
        p.polygon({{0, 0}, {40, 0}, {40, 12}, {12, 12}, {12, 30}, {0, 30}}, {2, 6, 3, 5, 2, 2});
        p.on("holes").circle({6, 24}, 2.5).circle({33, 6}, 3);
        break;
    case 5: p.slot({0, 0}, {30, 0}, 8); break;
    case 6: p.polygon({{0, 0}, {36, 0}, {14, 28}}, {4, 4, 4}).on("holes").circle({16, 10}, 4); break;
    case 7:
        p.polygon({{-20, 4}, {-20, -4}, {-12, -14}, {12, -14}, {20, -4}, {20, 4}, {12, 14}, {-12, 14}}, {4, 4, 8, 8});
        p.on("holes").circle({0, 0}, 9).circle({-16, 0}, 1.8).circle({16, 0}, 1.8);
        break;
    case 8: {
        const double half = geometry::degrees(std::acos(8.0 / 15));
        p.arc({0, 0}, 15, half, 360 - half);
        p.line({8, std::sqrt(225.0 - 64)}, {8, -std::sqrt(225.0 - 64)}).on("holes").box(-6, -2, 2, 2, 0.8);
        break;
    }
    case 9:
        p.polygon({{0, 0}, {10, 0}, {10, 22}, {26, 22}, {26, 30}, {-14, 30}, {-14, 22}, {0, 22}}, {1, 1, 3, 1});
        break;
    case 10: {
        std::vector<DrawnPoint> corners;
        for (int i = 0; i < 6; ++i) corners.push_back({14 * std::cos(i * kPi / 3), 14 * std::sin(i * kPi / 3)});
        p.polygon(corners, {0}).on("holes").circle({0, 0}, 5);
        break;
    }
    default: { // two round ends of 10 and 5 mm, 24 mm apart, joined by their tangents
        const double lean = geometry::degrees(std::acos(5.0 / 24));
        p.arc({0, 0}, 10, lean, 360 - lean).arc({24, 0}, 5, -lean, lean);
        for (const double s : {1.0, -1.0}) {
            const double a = geometry::radians(lean);
            p.line({10 * std::cos(a), s * 10 * std::sin(a)}, {24 + 5 * std::cos(a), s * 5 * std::sin(a)});
        }
        p.on("holes").circle({0, 0}, 4).circle({24, 0}, 2);
    }
    }
    return p.done();
}

LaidOutlines outlinesOf(const drawing::Outline& outline, const drawing::Laid& laid)
{
    LaidOutlines out;
    for (std::size_t l = 0; l < outline.loops().size(); ++l) {
        std::vector<Point> polygon = outline.polygon(int(l), 0.0005 / laid.pxPerMm);
        for (Point& q : polygon) q = laid.toPicture(q);
        (outline.loops()[l].hole ? out.holes : out.dark).push_back(std::move(polygon));
    }
    return out;
}

} // namespace demo
