#include "inspect/labels.h"

#include <algorithm>

namespace inspect
{
using namespace recipe;
using geometry::Point;

namespace
{
std::optional<Point> placeIn(const Recipe& r, const ItemResult& item)
{
    if (!item.pose) return std::nullopt;
    return r.calibration.picture(item.pose->origin);
}
// For each label the item it belongs to; -1: none.
std::vector<int> matched(const Recipe& r, const Trial& trial, const PictureResult& result)
{
    std::vector<int> out(trial.items.size(), -1);
    std::vector<std::pair<int, Point>> there;
    for (std::size_t i = 0; i < result.items.size(); ++i)
        if (const auto at = placeIn(r, result.items[i])) there.emplace_back(int(i), *at);
    double reach = 1e300;
    for (std::size_t a = 0; a < there.size(); ++a)
        for (std::size_t b = a + 1; b < there.size(); ++b)
            reach = std::min(reach, geometry::distance(there[a].second, there[b].second) / 2);
    for (std::size_t a = 0; a < trial.items.size(); ++a)
        for (std::size_t b = a + 1; b < trial.items.size(); ++b)
            reach = std::min(reach, geometry::distance(trial.items[a].at, trial.items[b].at) / 2);
    struct Pair {
        double distance;
        std::size_t label;
        std::size_t item;
    };
    std::vector<Pair> pairs;
    for (std::size_t l = 0; l < trial.items.size(); ++l)
        for (std::size_t i = 0; i < there.size(); ++i)
            if (const double d = geometry::distance(trial.items[l].at, there[i].second); d <= reach)
                pairs.push_back({d, l, i});
    std::sort(pairs.begin(), pairs.end(), [](const Pair& a, const Pair& b) {
        return std::tie(a.distance, a.label, a.item) < std::tie(b.distance, b.label, b.item);
    });
    std::vector<char> taken(there.size());
    for (const Pair& p : pairs)
        if (out[p.label] < 0 && !taken[p.item]) out[p.label] = there[p.item].first, taken[p.item] = 1;
    return out;
}
} // namespace

std::vector<Label> labelsOf(const Recipe& r, const Trial& trial, const PictureResult& result)
{
    std::vector<Label> out(result.items.size(), trial.label);
    const auto to = matched(r, trial, result);
    for (std::size_t l = 0; l < to.size(); ++l)
        if (to[l] >= 0) out[std::size_t(to[l])] = trial.items[l].label;
    return out;
}

std::optional<Label> ownLabel(const Recipe& r, const Trial& trial, const PictureResult& result, int item)
{
    const auto to = matched(r, trial, result);
    for (std::size_t l = 0; l < to.size(); ++l)
        if (to[l] == item) return trial.items[l].label;
    return std::nullopt;
}

Label labelOf(const Trial& trial)
{
    if (trial.items.empty()) return trial.label;
    const auto is = [](Label wanted) { return [wanted](const ItemLabel& l) { return l.label == wanted; }; };
    if (trial.label == Label::Bad || std::any_of(trial.items.begin(), trial.items.end(), is(Label::Bad)))
        return Label::Bad;
    return std::all_of(trial.items.begin(), trial.items.end(), is(Label::Good)) ? Label::Good : Label::Open;
}

std::vector<std::size_t> labelsWithoutItem(const Recipe& r, const Trial& trial, const PictureResult& result)
{
    std::vector<std::size_t> out;
    const auto to = matched(r, trial, result);
    for (std::size_t l = 0; l < to.size(); ++l)
        if (to[l] < 0) out.push_back(l);
    return out;
}

base::Status labelItem(const Recipe& r, Trial& trial, const PictureResult& result, int item, Label label)
{
    const auto at = item >= 0 && item < int(result.items.size()) ? placeIn(r, result.items[std::size_t(item)])
                                                                 : std::optional<Point>();
    if (!at)
        return base::fail(base::ErrorCode::InvalidArgument, "this part was not found: a label needs its place", "item");
    const auto to = matched(r, trial, result);
    for (std::size_t l = 0; l < to.size(); ++l) {
        if (to[l] != item) continue;
        if (label == trial.label || label == Label::Open) trial.items.erase(trial.items.begin() + std::ptrdiff_t(l));
        else trial.items[l].label = label;
        if (label == Label::Open && trial.label != Label::Open) trial.items.push_back({*at, label});
        return {};
    }
    if (label != trial.label) trial.items.push_back({*at, label});
    return {};
}

bool disagrees(const Recipe& r, const Trial& trial, const PictureResult& result)
{
    if (result.error) return labelOf(trial) == Label::Good;
    if (trial.items.empty()) {
        const Outcome o = result.outcome();
        if (trial.label == Label::Open || o == Outcome::Unjudged) return false;
        return (o == Outcome::Accept) != (trial.label == Label::Good);
    }
    const auto labels = labelsOf(r, trial, result);
    for (std::size_t i = 0; i < labels.size(); ++i) {
        const Outcome o = result.items[i].outcome;
        if (labels[i] == Label::Open || o == Outcome::Unjudged) continue;
        if ((o == Outcome::Accept) != (labels[i] == Label::Good)) return true;
    }
    // A good part that was lost.
    for (const std::size_t l : labelsWithoutItem(r, trial, result))
        if (trial.items[l].label == Label::Good) return true;
    return false;
}

} // namespace inspect
