#include "proof/anatomy.h"

#include "vision/blobs.h"
#include "vision/threshold.h"

#include <numeric>

namespace proof
{
using geometry::Point;

namespace
{
constexpr double kLeastPart = 0.001, kMostOpening = 0.2; // of the picture
constexpr double kLeastOpening = 24;                     // px²
constexpr double kLeastContrast = 12;                    // grey levels
constexpr int kMostInside = 400, kClear = 7;             // px from any border

double middleOf(std::vector<double>& v)
{
    if (v.empty()) return 0;
    std::nth_element(v.begin(), v.begin() + std::ptrdiff_t(v.size() / 2), v.end());
    return v[v.size() / 2];
}
// Of a class of pixels its middle level, from every so manyth of its runs' middles.
double levelOf(const image::GreyView& view, const vision::BlobList& list, const std::vector<char>& wanted)
{
    std::vector<double> levels;
    for (const vision::Run& r : list.runs)
        if (r.blob >= 0 && wanted[std::size_t(r.blob)] && r.to - r.from > 6)
            for (int x = r.from + 3; x < r.to - 3; x += 7) levels.push_back(view.levelAt(x, r.y));
    return middleOf(levels);
}
} // namespace

base::Result<Anatomy> anatomyOf(const image::Picture& picture)
{
    const auto none = [](const char* why) { return base::fail(base::ErrorCode::NoResult, why); };
    if (picture.content == image::Content::Height) return none("heights: faults are planted in light");
    const image::GreyView view = picture.grey();
    const auto whole = geometry::spans(geometry::Region::whole(), view.width, view.height);
    const auto t = vision::automaticThreshold(vision::histogram(view, whole));
    if (!t) return base::passOn(t.error());
    // What most of the border is, is the ground.
    std::size_t bright = 0, border = 0;
    const auto look = [&](int x, int y) { ++border, bright += view.levelAt(x, y) >= *t; };
    for (int x = 0; x < view.width; ++x) look(x, 0), look(x, view.height - 1);
    for (int y = 0; y < view.height; ++y) look(0, y), look(view.width - 1, y);
    const bool brightGround = 2 * bright >= border;
    const double all = double(view.width) * view.height;
    vision::BlobOptions ofPart;
    ofPart.low = brightGround ? 0 : *t, ofPart.high = brightGround ? std::nextafter(*t, 0.0) : 255;
    ofPart.leastArea = std::max(30.0, kLeastPart * all);
    vision::BlobOptions ofGround;
    ofGround.low = brightGround ? *t : 0, ofGround.high = brightGround ? 255 : std::nextafter(*t, 0.0);
    ofGround.leastArea = kLeastOpening;
    ofGround.fourConnected = true;
    const auto parts = vision::findBlobs(view, whole, ofPart), grounds = vision::findBlobs(view, whole, ofGround);
    if (parts.blobs.empty()) return none("nothing stands out of the ground");
    Anatomy a;
    std::vector<char> isPart(parts.blobs.size(), 1), isGround(grounds.blobs.size(), 0),
        isOpening(grounds.blobs.size(), 0);
    for (std::size_t i = 0; i < grounds.blobs.size(); ++i) {
        const auto& b = grounds.blobs[i];
        isGround[i] = b.touchesPicture;
        isOpening[i] = !b.touchesPicture && b.area <= kMostOpening * all;
    }
    a.part = levelOf(view, parts, isPart), a.ground = levelOf(view, grounds, isGround);
    if (std::abs(a.part - a.ground) < kLeastContrast) return none("the part hardly stands out of the ground");
    std::vector<std::size_t> order(parts.blobs.size());
    std::iota(order.begin(), order.end(), 0);
    std::stable_sort(order.begin(), order.end(),
                     [&](auto i, auto j) { return parts.blobs[i].area > parts.blobs[j].area; });
    const double largest = parts.blobs[order.front()].area;
    const vision::BlobRuns runs(parts);
    for (const std::size_t i : order) {
        const auto& b = parts.blobs[i];
        if (b.area < 0.1 * largest) break;
        a.parts.push_back({b.left, b.top, b.right, b.bottom});
        const auto outlines = runs.outlines(int(i));
        if (outlines.empty()) continue;
        const auto smooth = vision::smoothedOutline(outlines.front());
        const std::size_t n = smooth.size();
        for (std::size_t k = 0; k < n; k += 3) {
            const Point along = smooth[(k + 6) % n] - smooth[(k + n - 6) % n];
            if (geometry::length(along) < 4) continue;
            // Inside lies to the right of the way.
            Point out = geometry::leftOf(geometry::unit(along));
            const Point p = smooth[k];
            const auto at = [&](Point q) {
                return view.contains(q.x, q.y) ? a.share(view.levelAt(int(std::lround(q.x)), int(std::lround(q.y))))
                                               : 1.0;
            };
            if (at(p + out * 4) < at(p - out * 4)) out = out * -1.0;
            if (!view.contains(p.x + 12 * out.x, p.y + 12 * out.y) ||
                !view.contains(p.x - 12 * out.x, p.y - 12 * out.y))
                continue;
            a.outline.push_back({p, out});
        }
    }
    for (std::size_t i = 0; i < grounds.blobs.size(); ++i) {
        if (!isOpening[i]) continue;
        const auto& b = grounds.blobs[i];
        const bool within = std::any_of(a.parts.begin(), a.parts.end(), [&](const auto& p) {
            return b.left > p.left && b.right < p.right && b.top > p.top && b.bottom < p.low;
        });
        if (!within) continue;
        a.openings.push_back(
            {b.centroid, b.left, b.top, b.right, b.bottom, geometry::direction(b.angle), b.major, b.minor, b.area});
    }
    // Places well inside: their whole neighbourhood is part.
    const int step = std::max(3, int(std::sqrt(largest / (4.0 * kMostInside))));
    for (const auto& box : a.parts)
        for (int y = box.top + kClear; y <= box.low - kClear; y += step)
            for (int x = box.left + kClear; x <= box.right - kClear; x += step) {
                bool clear = true;
                for (int k = 0; k < 8 && clear; ++k) {
                    const Point q = Point{double(x), double(y)} + geometry::direction(k * geometry::kPi / 4) * kClear;
                    clear = view.contains(q.x, q.y) &&
                            a.share(view.levelAt(int(std::lround(q.x)), int(std::lround(q.y)))) < 0.3;
                }
                if (clear && a.share(view.levelAt(x, y)) < 0.3) a.inside.push_back({double(x), double(y)});
            }
    return a;
}

} // namespace proof
