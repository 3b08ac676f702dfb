#include "recipe/limits.h"

#include <algorithm>
#include <charconv>
#include <cmath>

namespace recipe
{

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
std::string number(double v)
{
    std::string s = base::toText(v, 4);
    s.erase(s.find_last_not_of('0') + 1);
    if (s.back() == '.') s.pop_back();
    return s;
}
} // namespace

std::string Limits::text() const
{
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
    if (low && high && *low > *high) return base::fail(ErrorCode::OutOfRange, "low = " + number(*low) + " is above high = " + number(*high));
    if (plus < 0) return base::fail(ErrorCode::OutOfRange, "plus = " + number(plus) + " is below 0");
    if (minus < 0) return base::fail(ErrorCode::OutOfRange, "minus = " + number(minus) + " is below 0 (write it without its sign)");
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
    for (const auto& [from, to] : {std::pair<std::string, std::string>{"−", "-"}, {"≥", ">="}, {"≤", "<="}, {"…", ".."}, {"±", "+-"}})
        for (auto at = text.find(from); at != std::string::npos; at = text.find(from)) text.replace(at, from.size(), to);
    const auto wrong = [&] {
        return base::fail(base::ErrorCode::InvalidArgument,
                          "\"" + typed + "\" is not a limit: write 26 +-0.05, 26 +0.1 -0.05, 25.9 .. 26.1, >= 0.65, <= 0.2 or 10");
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
        } else {
            out.low = out.high = a;
        }
    }
    if (!r.done()) return wrong();
    if (auto ok = out.check(); !ok) return base::passOn(ok.error());
    return out;
}

} // namespace recipe
