// Photographs with pieces removed, turned, moved and recoloured by program: `photographs FILE...` learns each picture
// as it is (and eight copies under other light, blur and place), then asks of changed copies what is the matter.
// Counts how many are found, found by name, and how many untouched ones are called faulty. Pictures are never part of
// the project.
#include "demo/render.h"
#include "image/decode.h"
#include "inspect/faults.h"
#include "inspect/inspect.h"
#include "proof/change.h"
#include "steps/component_places/component_places.h"
#include "steps/learned_area/learned_area.h"
#include "vision/threshold.h"

#include "base/files.h"
#include <cstdio>
#include <map>

using namespace recipe;
using geometry::Point;
using geometry::Region;

namespace
{
constexpr int kSide = 900;               // px of what is cut out
constexpr double kHalf = 26, kHigh = 18; // of a piece

image::Image cut(const image::Image& whole, int left, int top)
{
    const int ch = image::channels(whole.format());
    image::Image out(kSide, kSide, whole.format());
    for (int y = 0; y < kSide; ++y) std::copy_n(whole.row(top + y) + left * ch, kSide * ch, out.row(y));
    return out;
}
// As another camera sees it: light, blur, noise, place and turn.
image::Image seen(const image::Image& in, std::uint64_t seed)
{
    demo::Random r(seed);
    image::Capture c = image::makeCapture(in.clone(), "photo");
    c = proof::changed(c, "turn", r.uniform(0, 1.2), seed);
    c = proof::changed(c, "shift", r.uniform(0, 6), seed + 1);
    c = proof::changed(c, "blur", r.uniform(0.05, 0.7), seed + 2);
    c = proof::changed(c, r.below(2) ? "darker" : "brighter", r.uniform(0, 13), seed + 3);
    c = proof::changed(c, "noise", r.uniform(1, 2.5), seed + 4);
    return c.first().pixels.clone();
}
enum class Doing { Removed, Turned, Moved, Recoloured, Exchanged };
const char* const kNames[] = {"removed", "turned", "moved", "recoloured", "exchanged"};
// The piece about `at` replaced: by its surround, turned, moved, in another colour, or by another piece.
image::Image changedPiece(const image::Image& in, Point at, Doing what, Point other)
{
    image::Image out = in.clone();
    const int ch = image::channels(in.format());
    const auto sample = [&](double x, double y, int c) {
        const int ix = std::clamp(int(x), 0, kSide - 2), iy = std::clamp(int(y), 0, kSide - 2);
        const double fx = std::clamp(x - ix, 0.0, 1.0), fy = std::clamp(y - iy, 0.0, 1.0);
        const auto v = [&](int u, int w) { return double(in.row(w)[u * ch + c]); };
        return (v(ix, iy) * (1 - fx) + v(ix + 1, iy) * fx) * (1 - fy) +
               (v(ix, iy + 1) * (1 - fx) + v(ix + 1, iy + 1) * fx) * fy;
    };
    std::array<double, 3> ground{};
    int n = 0;
    for (int x = -int(kHalf) - 3; x <= int(kHalf) + 3; ++x)
        for (const int y : {-int(kHigh) - 3, int(kHigh) + 3}) {
            ++n;
            for (int c = 0; c < ch; ++c) ground[std::size_t(c)] += in.row(int(at.y) + y)[(int(at.x) + x) * ch + c];
        }
    for (double& g : ground) g /= n;
    for (int y = -int(kHigh); y <= int(kHigh); ++y)
        for (int x = -int(kHalf); x <= int(kHalf); ++x) {
            const double a = geometry::radians(25);
            for (int c = 0; c < ch; ++c) {
                double v = sample(at.x + x, at.y + y, c);
                if (what == Doing::Removed) v = ground[std::size_t(c)];
                if (what == Doing::Turned) {
                    const double u = x * std::cos(a) - y * std::sin(a), w = x * std::sin(a) + y * std::cos(a);
                    v = std::abs(u) <= kHalf && std::abs(w) <= kHigh ? sample(at.x + u, at.y + w, c)
                                                                     : ground[std::size_t(c)];
                }
                if (what == Doing::Moved)
                    v = std::abs(x - 9) <= kHalf ? sample(at.x + x - 9, at.y + y, c) : ground[std::size_t(c)];
                if (what == Doing::Recoloured)
                    v = ch == 3 ? sample(at.x + x, at.y + y, (c + 1) % 3) * 0.8 + 30 : 255 - v;
                if (what == Doing::Exchanged) v = sample(other.x + x, other.y + y, c);
                out.row(int(at.y) + y)[(int(at.x) + x) * ch + c] = std::uint8_t(std::clamp(v, 0.0, 255.0));
            }
        }
    return out;
}
// Pieces with something in them, well apart.
std::vector<Point> pieces(const image::Image& in)
{
    const image::Image grey = image::channels(in.format()) == 3 ? image::toGrey(in) : in.clone();
    struct Rated {
        double spread;
        Point at;
    };
    std::vector<Rated> all;
    for (int y = 120; y < kSide - 120; y += 30)
        for (int x = 120; x < kSide - 120; x += 40) {
            const auto g = vision::greys(
                grey.grey(),
                geometry::spans(Region::rectangle({double(x), double(y)}, 2 * kHalf, 2 * kHigh), kSide, kSide));
            all.push_back({g.spread, {double(x), double(y)}});
        }
    std::sort(all.begin(), all.end(), [](const auto& a, const auto& b) { return a.spread > b.spread; });
    std::vector<Point> out;
    for (const auto& r : all)
        if (r.spread > 14 &&
            std::none_of(out.begin(), out.end(), [&](Point p) { return geometry::distance(p, r.at) < 110; })) {
            out.push_back(r.at);
            if (out.size() == 8) break;
        }
    return out;
}
} // namespace

int main(int argc, char** argv)
{
    std::map<std::string, std::array<int, 3>> sums;          // tried, found, by name
    std::map<std::string, std::map<std::string, int>> names; // what the place was called
    for (int i = 1; i < argc; ++i) {
        const auto bytes = base::readFile(argv[i]);
        if (!bytes) continue;
        auto whole = image::decode(*bytes, argv[i]);
        if (!whole || whole->width() < kSide + 40 || whole->height() < kSide + 40 ||
            image::bytesPerSample(whole->format()) != 1) {
            std::printf("%s: not of 8 bit, or too small\n", argv[i]);
            continue;
        }
        const image::Image good = cut(*whole, (whole->width() - kSide) / 2, (whole->height() - kSide) / 2);
        const auto places = pieces(good);
        if (places.size() < 3) {
            std::printf("%s: nothing in it\n", argv[i]);
            continue;
        }
        const auto asset = [](const image::Image& p, const char* leaf) {
            return *makeAsset(leaf, *image::encodePng(p), leaf);
        };
        Recipe r;
        r.reference = asset(good, "reference.png");
        for (std::uint64_t n = 1; n <= 8; ++n)
            r.samples.push_back({asset(seen(good, n * 17), ("good-" + std::to_string(n) + ".png").c_str()), {}});
        Step datum = makeStep(r, *findKind("pattern"));
        datum.id = "a", datum.letter = "A";
        datum.regions["part"] = Region::rectangle({kSide / 2.0, kSide / 2.0}, 0.8 * kSide, 0.8 * kSide);
        r.steps.push_back(datum);
        Step area = makeStep(r, *findKind("learned_area"));
        area.id = "area", area.datum = "a";
        steps::LearnedAreaParams ap;
        ap.by = steps::CompareBy::Colour;
        area.params = ap;
        area.regions["region"] = Region::rectangle({kSide / 2.0, kSide / 2.0}, 0.8 * kSide, 0.8 * kSide);
        r.steps.push_back(area);
        Step parts = makeStep(r, *findKind("component_places"));
        parts.id = "parts", parts.datum = "a";
        steps::ComponentPlacesParams pp;
        pp.by = steps::CompareBy::Colour;
        parts.params = pp;
        for (std::size_t k = 0; k < places.size(); ++k)
            parts.places.push_back(
                {std::to_string(k + 1), places[k], Region::rectangle(places[k], 2 * kHalf, 2 * kHigh)});
        r.steps.push_back(parts);
        const auto prepared = inspect::Prepared::make(r);
        if (!prepared) {
            std::printf("%s: %s\n", argv[i], prepared.error().text().c_str());
            continue;
        }
        const auto ask = [&](const image::Image& p) {
            return inspect::evaluate(*prepared, image::makeCapture(p.clone(), "asked"));
        };
        for (std::uint64_t n = 1; n <= 12; ++n) {
            const auto result = ask(seen(good, 5000 + n * 13));
            auto& s = sums["untouched"];
            ++s[0], s[1] += !result.accepted();
            if (!result.accepted()) {
                std::printf("%s: untouched %d: %s\n", argv[i], int(n), result.items.front().sentence().c_str());
                for (const auto& f : inspect::faultsOf(result.items.front()))
                    if (f.at) std::printf("  %s: %s at %.0f, %.0f\n", f.step.c_str(), f.name.c_str(), f.at->x, f.at->y);
            }
        }
        for (std::size_t k = 0; k < places.size(); ++k)
            for (int what = 0; what < 5; ++what) {
                const auto result =
                    ask(seen(changedPiece(good, places[k], Doing(what), places[(k + 1) % places.size()]),
                             9000 + k * 31 + std::uint64_t(what)));
                auto& s = sums[kNames[what]];
                ++s[0], s[1] += !result.accepted();
                static const std::map<int, std::vector<std::string>> words{{0, {"missing", "another"}},
                                                                           {1, {"turned", "differs"}},
                                                                           {2, {"shifted"}},
                                                                           {3, {"other colour", "another"}},
                                                                           {4, {"another"}}};
                bool named = false;
                std::string called = "nothing";
                for (const auto& item : result.items)
                    for (const auto& f : inspect::faultsOf(item))
                        if (f.step == "parts" && f.number.substr(f.number.find('.') + 1) == std::to_string(k + 1)) {
                            called = f.name.substr(0, f.name.find_first_of("0123456789"));
                            for (const auto& w : words.at(what)) named = named || f.name.rfind(w, 0) == 0;
                        }
                ++names[kNames[what]][called];
                s[2] += named;
            }
    }
    for (const auto& [what, s] : sums)
        std::printf("%-12s %4d tried, %4d called faulty, %4d by the right name at the right place\n", what.c_str(),
                    s[0], s[1], s[2]);
    for (const auto& [what, called] : names) {
        std::printf("%s was called:", what.c_str());
        for (const auto& [name, n] : called) std::printf(" %s %d;", name.c_str(), n);
        std::printf("\n");
    }
}
