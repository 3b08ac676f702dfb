#include "recipe/limits.h"

#include <algorithm>
#include <charconv>
#include <cmath>

namespace recipe
{

const char* name(ToleranceClass c)
{
    constexpr const char* names[] = {"", "f", "m", "c", "v"};
    return names[std::size_t(c)];
}
const char* name(General g)
{
    constexpr const char* names[] = {"", "length", "radius", "angle"};
    return names[std::size_t(g)];
}

base::Result<double> generalTolerance(ToleranceClass c, General g, double nominal)
{
    using base::ErrorCode;
    if (c == ToleranceClass::None)
        return base::fail(ErrorCode::NotFound, "the recipe states no general tolerance class");
    // Up to and with this size; a column of 0 stands for "not given" in the standard.
    struct Row {
        double upTo, f, m, c, v;
    };
    static const Row lengths[] = {{3, 0.05, 0.1, 0.2, 0},     {6, 0.05, 0.1, 0.3, 0.5},  {30, 0.1, 0.2, 0.5, 1},
                                  {120, 0.15, 0.3, 0.8, 1.5}, {400, 0.2, 0.5, 1.2, 2.5}, {1000, 0.3, 0.8, 2, 4},
                                  {2000, 0.5, 1.2, 3, 6},     {4000, 0, 2, 4, 8}};
    static const Row radii[] = {{3, 0.2, 0.2, 0.4, 0.4}, {6, 0.5, 0.5, 1, 1}, {1e300, 1, 1, 2, 2}};
    const auto minutes = [](double d, double m) { return d + m / 60; };
    static const Row angles[] = {{10, 1, 1, minutes(1, 30), 3},
                                 {50, minutes(0, 30), minutes(0, 30), 1, 2},
                                 {120, minutes(0, 20), minutes(0, 20), minutes(0, 30), 1},
                                 {400, minutes(0, 10), minutes(0, 10), minutes(0, 15), minutes(0, 30)},
                                 {1e300, minutes(0, 5), minutes(0, 5), minutes(0, 10), minutes(0, 20)}};
    const auto find = [&](const auto& table) -> const Row* {
        for (const Row& r : table)
            if (nominal <= r.upTo) return &r;
        return nullptr;
    };
    const double least = g == General::Angle ? 0 : 0.5;
    const Row* row = g == General::Length   ? find(lengths)
                     : g == General::Radius ? find(radii)
                     : g == General::Angle  ? find(angles)
                                            : nullptr;
    const double value = !row                     ? 0
                         : c == ToleranceClass::F ? row->f
                         : c == ToleranceClass::M ? row->m
                         : c == ToleranceClass::C ? row->c
                                                  : row->v;
    if (!(nominal >= least) || !(value > 0) || (g == General::Angle && !(nominal > 0)))
        return base::fail(ErrorCode::OutOfRange, "ISO 2768-1 gives no general tolerance of class " +
                                                     std::string(name(c)) + " for " + base::shortest(nominal) + " mm" +
                                                     (g == General::Angle ? " as shorter side of an angle" : "") +
                                                     ": state plus and minus beside the nominal");
    return value;
}

base::Result<Limits> Limits::resolved(ToleranceClass c) const
{
    if (general == General::None || hasTolerance || !nominal) return *this;
    const bool angle = general == General::Angle;
    if (angle ? unit != base::Unit::Degree : !base::convertible(unit, base::Unit::Millimetre))
        return base::fail(base::ErrorCode::InvalidArgument, "a general tolerance needs a nominal in " +
                                                                std::string(angle ? "degrees" : "mm, µm or inch"));
    const auto t = generalTolerance(
        c, general, angle ? shorterSide : base::converted(std::abs(*nominal), unit, base::Unit::Millimetre));
    if (!t) return base::passOn(t.error());
    Limits out = *this;
    out.hasTolerance = true;
    out.plus = out.minus = angle ? *t : base::converted(*t, base::Unit::Millimetre, unit);
    return out;
}

Limits Limits::in(base::Unit other, double factor) const
{
    Limits out = *this;
    const auto change = [&](double v) {
        return base::convertible(unit, other) ? base::converted(v, unit, other) : v * factor;
    };
    for (auto* v : {&out.low, &out.high, &out.nominal})
        if (*v) *v = change(**v);
    out.plus = change(plus), out.minus = change(minus);
    out.unit = other;
    return out;
}

bool Limits::holds(double value) const
{
    const auto slack = [](double limit) { return 1e-12 * std::abs(limit); };
    const auto lo = lowest(), hi = highest();
    return (!lo || value >= *lo - slack(*lo)) && (!hi || value <= *hi + slack(*hi));
}

std::optional<double> Limits::share(double value) const
{
    const auto lo = lowest(), hi = highest();
    if (!lo || !hi) return std::nullopt;
    const double middle = nominal && hasTolerance ? *nominal : (*lo + *hi) / 2;
    const double room = value >= middle ? *hi - middle : middle - *lo;
    if (room <= 0) return value == middle ? 0.0 : std::optional<double>(std::abs(value - middle) > 0 ? 2.0 : 0.0);
    return std::abs(value - middle) / room;
}

void Limits::setLowest(double value)
{
    if (nominal && hasTolerance) minus = std::max(0.0, *nominal - value);
    else low = highest() ? std::min(value, *highest()) : value;
}
void Limits::setHighest(double value)
{
    if (nominal && hasTolerance) plus = std::max(0.0, value - *nominal);
    else high = lowest() ? std::max(value, *lowest()) : value;
}

namespace
{
// As it was typed; a figure that was worked out (converted, dragged) to four decimals.
std::string number(double v)
{
    const std::string exact = std::isfinite(v) ? base::shortest(v) : "";
    const auto point = exact.find('.');
    if (!exact.empty() && exact.find('e') == std::string::npos &&
        (point == std::string::npos || exact.size() - point <= 8))
        return exact;
    std::string s = base::toText(v, 4);
    s.erase(s.find_last_not_of('0') + 1);
    if (s.back() == '.') s.pop_back();
    return s;
}
} // namespace

std::string Limits::text() const
{
    if (nominal && !hasTolerance && general != General::None)
        return number(*nominal) + " ISO 2768" +
               (general == General::Radius  ? " R"
                : general == General::Angle ? " side " + number(shorterSide)
                                            : "");
    if (nominal && hasTolerance) {
        if (plus == minus) return plus == 0 ? number(*nominal) : number(*nominal) + " ±" + number(plus);
        return number(*nominal) + " +" + number(plus) + " −" + number(minus);
    }
    if (low && high) return *low == *high ? number(*low) : number(*low) + " .. " + number(*high);
    if (low) return "≥ " + number(*low);
    if (high) return "≤ " + number(*high);
    return {};
}

base::Status Limits::check() const
{
    using base::ErrorCode;
    for (const auto& v : {low, high, nominal, std::optional(plus), std::optional(minus)})
        if (v && !(std::abs(*v) <= 1e12)) return base::fail(ErrorCode::OutOfRange, "a limit is outside -1e12 .. 1e12");
    if (low && high && *low > *high)
        return base::fail(ErrorCode::OutOfRange, "low = " + number(*low) + " is above high = " + number(*high));
    if (plus < 0) return base::fail(ErrorCode::OutOfRange, "plus = " + number(plus) + " is below 0");
    if (minus < 0)
        return base::fail(ErrorCode::OutOfRange,
                          "minus = " + number(minus) + " is below 0 (write it without its sign)");
    return {};
}

namespace
{
class Reader
{
public:
    explicit Reader(std::string text) : m_text(std::move(text)) { skip(); }
    bool take(std::string_view word)
    {
        if (m_text.compare(m_at, word.size(), word) != 0) return false;
        m_at += word.size();
        skip();
        return true;
    }
    bool takeNumber(double& out)
    {
        const char* begin = m_text.data() + m_at;
        const auto r = std::from_chars(begin, m_text.data() + m_text.size(), out);
        if (r.ec != std::errc() || !std::isfinite(out)) return false;
        m_at += std::size_t(r.ptr - begin);
        skip();
        return true;
    }
    bool done() const { return m_at == m_text.size(); }
    std::string rest() const { return m_text.substr(m_at, m_text.find_last_not_of(" \t") + 1 - m_at); }

private:
    void skip()
    {
        while (m_at < m_text.size() && (m_text[m_at] == ' ' || m_text[m_at] == '\t')) ++m_at;
    }
    std::string m_text;
    std::size_t m_at = 0;
};
} // namespace

base::Result<Limits> parseLimits(const std::string& typed, base::Unit unit)
{
    std::string text = typed;
    for (std::size_t i = 0; i < text.size(); ++i)
        if (text[i] == ',') text[i] = '.';
    for (const auto& [from, to] :
         {std::pair<std::string, std::string>{"−", "-"}, {"≥", ">="}, {"≤", "<="}, {"…", ".."}, {"±", "+-"}})
        for (auto at = text.find(from); at != std::string::npos; at = text.find(from))
            text.replace(at, from.size(), to);
    const auto wrong = [&] {
        return base::fail(base::ErrorCode::InvalidArgument,
                          "\"" + typed +
                              "\" is not a limit: write 26 +-0.05, 26 +0.1 -0.05, 25.9 .. 26.1, >= 0.65, <= 0.2, "
                              "10 or 26 ISO 2768 (an angle: 30 ISO 2768 side 12), and a unit behind it");
    };
    // "25.9..26.1": two dots end the number before them.
    if (const auto dots = text.find(".."); dots != std::string::npos) text.insert(dots, " ");
    Reader r(text);
    Limits out;
    out.unit = unit;
    if (r.done()) return out;
    double a = 0, b = 0;
    if (r.take(">=") || r.take(">")) {
        if (!r.takeNumber(a)) return wrong();
        out.low = a;
    } else if (r.take("<=") || r.take("<")) {
        if (!r.takeNumber(a)) return wrong();
        out.high = a;
    } else {
        if (!r.takeNumber(a)) return wrong();
        if (r.take("..")) {
            if (!r.takeNumber(b)) return wrong();
            out.low = a, out.high = b;
        } else if (r.take("+-") || r.take("+/-")) {
            if (!r.takeNumber(b)) return wrong();
            out.nominal = a, out.plus = out.minus = b, out.hasTolerance = true;
        } else if (r.take("+")) {
            if (!r.takeNumber(b)) return wrong();
            double c = 0;
            if (!r.done() && (!r.take("-") || !r.takeNumber(c))) return wrong();
            out.nominal = a, out.plus = b, out.minus = c, out.hasTolerance = true;
        } else if (r.take("-")) {
            if (!r.takeNumber(b)) return wrong();
            out.nominal = a, out.plus = 0, out.minus = b, out.hasTolerance = true;
        } else if (r.take("ISO 2768 R")) {
            out.nominal = a, out.general = General::Radius;
        } else if (r.take("ISO 2768") || r.take("iso") || r.take("ISO")) {
            out.nominal = a, out.general = General::Length;
            if (r.take("side")) { // of an angle, in mm
                if (!r.takeNumber(b)) return wrong();
                out.general = General::Angle, out.shorterSide = b;
                if (!(b > 0 && b <= 1e6))
                    return base::fail(base::ErrorCode::OutOfRange,
                                      "side = " + number(b) + " is outside 0 .. 1000000 mm");
            }
        } else {
            out.low = out.high = a;
        }
    }
    if (!r.done()) {
        const auto own = base::unitFrom(r.rest());
        if (!own) return wrong();
        out.unit = *own;
    }
    if (auto ok = out.check(); !ok) return base::passOn(ok.error());
    if (out.general == General::Length && out.unit == base::Unit::Degree)
        return base::fail(base::ErrorCode::InvalidArgument,
                          "a general tolerance of an angle goes by its shorter side in mm: " + number(a) +
                              " ISO 2768 side 12");
    if (out.general == General::Angle && out.unit != base::Unit::Degree)
        return base::fail(base::ErrorCode::InvalidArgument, "a shorter side is stated for angles only");
    return out;
}

} // namespace recipe
