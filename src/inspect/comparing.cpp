#include "inspect/comparing.h"

#include "base/parallel.h"
#include "image/capture_files.h"

namespace inspect
{
namespace
{
// The item of the other answer that is the same part; -1: none is.
int sameItem(const ItemResult& item, const PictureResult& other)
{
    if (!item.pose) return other.items.empty() ? -1 : 0;
    int best = -1;
    double least = 1e300;
    for (std::size_t i = 0; i < other.items.size(); ++i) {
        if (!other.items[i].pose) continue;
        const double d = geometry::distance(other.items[i].pose->origin, item.pose->origin);
        if (d < least) least = d, best = int(i);
    }
    if (best < 0) return other.items.size() == 1 ? 0 : -1;
    double apart = 1e300;
    for (std::size_t i = 0; i < other.items.size(); ++i)
        if (int(i) != best && other.items[i].pose)
            apart = std::min(
                apart, geometry::distance(other.items[i].pose->origin, other.items[std::size_t(best)].pose->origin));
    return least <= apart / 2 ? best : -1;
}

std::string valueOf(const CheckResult& c) { return c.values.empty() ? std::string() : c.valueText(); }

void addChanges(const ItemResult* before, const ItemResult& now, PictureChange& out)
{
    for (const CheckResult& c : now.checks) {
        const CheckResult* old = before ? before->check(c.step, c.output) : nullptr;
        if (old && old->verdict == c.verdict) continue;
        if (!old && c.verdict == Verdict::Unjudged) continue;
        out.checks.push_back({now.number, c.name, old ? old->verdict : Verdict::Unjudged, c.verdict,
                              old ? valueOf(*old) : std::string(), valueOf(c)});
    }
    for (std::size_t i = 0; before && i < before->checks.size(); ++i) {
        const CheckResult& old = before->checks[i];
        if (now.check(old.step, old.output) || old.verdict == Verdict::Unjudged) continue;
        out.checks.push_back({now.number, old.name, old.verdict, Verdict::Unjudged, valueOf(old), {}});
    }
}

std::string sentenceOf(const PictureResult& r)
{
    if (r.error) return *r.error;
    for (const ItemResult& i : r.items)
        if (i.rejected()) return i.sentence();
    return {};
}
} // namespace

std::vector<PictureChange> compareOn(const std::vector<std::string>& pictures, const recipe::Recipe& before,
                                     const recipe::Recipe& now, std::atomic<int>* progress,
                                     const std::atomic<bool>* cancel, int threads)
{
    const auto one = Prepared::make(before), other = Prepared::make(now);
    std::vector<PictureChange> all(pictures.size());
    std::vector<char> done(pictures.size());
    const bool alike = before.pictures == now.pictures;
    if (one && other)
        base::parallelFor(int(pictures.size()), threads, [&](int n) {
            if (cancel && *cancel) return;
            PictureChange& c = all[std::size_t(n)];
            c.picture = pictures[std::size_t(n)];
            const auto answer = [&](const Prepared& by, const image::Capture* shared) {
                PictureResult r;
                if (shared) return evaluate(by, *shared, nullptr, cancel);
                const auto capture = image::loadCapture(c.picture, by.recipe().pictures);
                if (capture) return evaluate(by, *capture, nullptr, cancel);
                r.error = capture.error().text();
                return r;
            };
            std::optional<image::Capture> shared;
            if (alike)
                if (auto read = image::loadCapture(c.picture, now.pictures)) shared = std::move(*read);
            const PictureResult was = answer(*one, shared ? &*shared : nullptr);
            const PictureResult is = answer(*other, shared ? &*shared : nullptr);
            if (was.cancelled || is.cancelled) return;
            if (was.error && is.error) c.error = is.error;
            c.before = was.outcome(), c.now = is.outcome();
            c.sentenceBefore = sentenceOf(was), c.sentenceNow = sentenceOf(is);
            c.itemsBefore = was.items.size(), c.itemsNow = is.items.size();
            for (const ItemResult& item : is.items) {
                const int same = sameItem(item, was);
                addChanges(same < 0 ? nullptr : &was.items[std::size_t(same)], item, c);
            }
            done[std::size_t(n)] = 1;
            if (progress) ++*progress;
        });
    std::vector<PictureChange> out;
    for (std::size_t i = 0; i < all.size(); ++i)
        if (done[i]) out.push_back(std::move(all[i]));
    return out;
}

std::string words(const CheckChange& c)
{
    const auto side = [](Verdict v, const std::string& value) {
        std::string text = v == Verdict::NotMeasured ? "not measured" : name(v);
        return value.empty() ? text : text + " " + value;
    };
    return c.name + ": " + side(c.now, c.valueNow) + ", before " + side(c.before, c.valueBefore);
}

} // namespace inspect
