#include "recipe/objects.h"

#include "base/text.h"

#include <algorithm>

namespace recipe
{

const char* name(Fate fate)
{
    constexpr const char* names[] = {"kept",      "not listed", "filtered",  "out of bounds",
                                     "at border", "left out",   "not chosen"};
    return names[std::size_t(fate)];
}

double ObjectTable::Row::off() const
{
    if (low && value < *low) return *low - value;
    if (high && value > *high) return value - *high;
    return 0;
}

bool ObjectTable::Row::covers(geometry::Point place) const
{
    const geometry::Point d = place - at, u = geometry::direction(angle);
    const double x = geometry::dot(d, u) / (radius + 1), y = geometry::dot(d, geometry::leftOf(u)) / (across + 1);
    return x * x + y * y <= 1;
}

int ObjectTable::column(const std::string& key) const
{
    const auto it = std::find_if(columns.begin(), columns.end(), [&](const Column& c) { return c.key == key; });
    return it == columns.end() ? -1 : int(it - columns.begin());
}

std::vector<double> ObjectTable::list(int column) const
{
    std::vector<double> out;
    for (const Row& r : rows)
        if (r.number > 0) out.push_back(r.values[std::size_t(column)]);
    return out;
}

int ObjectTable::at(geometry::Point place, double reach) const
{
    int best = -1;
    double least = 0;
    for (const bool inside : {true, false}) {
        for (std::size_t i = 0; i < rows.size(); ++i) {
            const double d = geometry::distance(rows[i].at, place);
            const double key = inside ? rows[i].radius : d;
            if (!(inside ? rows[i].covers(place) : d <= reach) || (best >= 0 && key >= least)) continue;
            best = int(i), least = key;
        }
        if (best >= 0) break;
    }
    return best;
}

std::string howCome(const ObjectTable& table, int row, const std::string& byLabel)
{
    const ObjectTable::Row& r = table.rows[std::size_t(row)];
    const int c = table.column(r.by);
    const base::Unit unit = c >= 0 ? table.columns[std::size_t(c)].unit : base::Unit::None;
    const auto text = [&](double x) {
        const int digits = std::abs(x) >= 1000 ? 0 : std::abs(x) >= 100 ? 1 : std::abs(x) >= 1 ? 2 : 3;
        std::string s = base::toText(x, digits);
        if (s.find('.') != std::string::npos) {
            s.erase(s.find_last_not_of('0') + 1);
            if (s.back() == '.') s.pop_back();
        }
        return s;
    };
    const std::string symbol = base::symbol(unit), in = symbol.empty() ? "" : " " + symbol;
    const auto bound = [&] {
        if (r.low && r.value < *r.low)
            return text(r.value) + in + ", at least " + text(*r.low) + in + " is needed (" + text(r.off()) + in +
                   " too little)";
        if (r.high && r.value > *r.high)
            return text(r.value) + in + ", at most " + text(*r.high) + in + " is allowed (" + text(r.off()) + in +
                   " too much)";
        return text(r.value) + in;
    };
    switch (r.fate) {
    case Fate::Kept: return r.number > 0 ? "kept, number " + std::to_string(r.number) : "kept";
    case Fate::Unlisted: return "counted, but the list is cut off before it";
    case Fate::Filtered: return "turned away by the filter on " + byLabel + ": " + bound();
    case Fate::Bounded: return "turned away by " + byLabel + ": " + bound();
    case Fate::AtBorder: return "turned away: it touches the border";
    case Fate::LeftOut: return "lies in an area that is left out";
    case Fate::NotChosen: return byLabel.empty() ? "not chosen: another one is meant" : "not chosen: " + byLabel;
    }
    return {};
}

} // namespace recipe
