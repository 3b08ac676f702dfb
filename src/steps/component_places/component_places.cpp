#include "steps/component_places/component_places.h"

#include "base/parallel.h"
#include "steps/glue.h"
#include "vision/component.h"
#include "vision/lift.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <set>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Region;
using geometry::Shape;
using vision::Component;
using vision::Light;
using vision::Named;
using vision::Patch;
using vision::PatchBox;
using vision::UsualHeights;
using P = ComponentPlacesParams;

namespace
{
constexpr double kNone = std::numeric_limits<double>::quiet_NaN();
const std::string kHeights = "heights"; // the picture of heights
constexpr int kScene = 72;              // samples each way of the field round all places, for the light

struct One {
    std::string name, picture;
    std::optional<Component> component; // none: see reason
    Patch shown;                        // the reference with some of what lies round it, in its colours
    std::string reason;
    std::optional<UsualHeights> heights; // none: they are not looked at, or heightsReason
    std::string heightsReason;
};
// The field round all places, thinned out: its light is that of every place.
struct Scene {
    double left = 0, top = 0, stepX = 1, stepY = 1;
    std::vector<float> levels;
    PatchBox box() const { return {0, 0, kScene, kScene}; }
    Point at(Point cell) const { return {left + cell.x * stepX, top + cell.y * stepY}; }
};
struct Taught {
    std::vector<One> places;
    std::map<std::string, Scene> scenes; // by picture
};

Patch scenePatch(const image::Picture& picture, const Scene& s, const vision::Carry& carry)
{
    return vision::laid(picture, false, s.box(), [&](Point cell) { return carry(s.at(cell)); });
}
Light sceneLight(const P& p, const image::Picture& picture, const Scene& s, const vision::Carry& carry)
{
    return vision::lightOf(scenePatch(picture, s, carry), s.levels, {}, p.light);
}
// Of the whole field, at one place.
Light lightAt(const Light& field, const Scene& s, Point at)
{
    Light l;
    l.offset = field.offset;
    const double x = 2 * (at.x - s.left) / (s.stepX * (kScene - 1)) - 1,
                 y = 2 * (at.y - s.top) / (s.stepY * (kScene - 1)) - 1;
    l.gain[0] = std::max(0.02, field.gainAt(std::clamp(x, -1.0, 1.0), std::clamp(y, -1.0, 1.0)));
    return l;
}

Scene sceneOf(const std::vector<Region>& outlines, const image::Picture& reference)
{
    double left = 1e9, top = 1e9, right = -1e9, bottom = -1e9;
    for (const Region& r : outlines)
        if (const auto box = boxOf(r, 0, reference)) {
            left = std::min(left, double(box->left)), right = std::max(right, double(box->left + box->width - 1));
            top = std::min(top, double(box->top)), bottom = std::max(bottom, double(box->top + box->height - 1));
        }
    // Round a single place there is more of what does not change.
    const double more = outlines.size() > 3 ? 0.06 : 0.5;
    const double dx = (right - left) * more, dy = (bottom - top) * more;
    left = std::max(0.0, left - dx), right = std::min(reference.pixels.width() - 1.0, right + dx);
    top = std::max(0.0, top - dy), bottom = std::min(reference.pixels.height() - 1.0, bottom + dy);
    Scene s;
    s.left = left, s.top = top;
    s.stepX = std::max(0.05, (right - left) / (kScene - 1)), s.stepY = std::max(0.05, (bottom - top) / (kScene - 1));
    const Patch patch = scenePatch(reference, s, [](Point q) { return q; });
    s.levels.resize(patch.box.count());
    for (std::size_t i = 0; i < s.levels.size(); ++i)
        s.levels[i] = patch.sees(i) ? patch.level(i) : std::numeric_limits<float>::quiet_NaN();
    return s;
}

// Reference → picture of each thing that is learned from.
struct Source {
    const image::Picture* picture;
    vision::Carry carry;
    Light light;
    const SampleInput* sample; // null: the reference
};

// A place that was never seen bare looks there like the bare place most like it in size, stretched onto it.
struct BareSeen {
    Region outline;
    const Source* source;
};

base::Result<One> taughtPlace(const P& p, const Place& place, const Region& outline, const std::vector<Source>& sources,
                              const std::vector<BareSeen>& bareSeen, const Scene& scene,
                              const image::Picture& reference)
{
    One one{place.name, place.picture, {}, {}, {}, {}, {}};
    const auto box = boxOf(outline, 2, reference);
    if (!box) {
        one.reason = "it lies outside the reference";
        return one;
    }
    const auto wide = boxOf(outline, 0.6 * std::min(box->width, box->height), reference);
    one.shown = vision::laid(reference, true, wide.value_or(*box), [](Point q) { return q; });
    const bool colour = p.by == CompareBy::Colour;
    std::vector<Patch> good, bare;
    std::vector<Light> lights, bareLights;
    vision::ComponentOptions o;
    o.learn = learnOptions(p);
    o.mayShift = p.mayShift, o.mayTurn = p.mayTurn;
    // Never less far than it may lie.
    o.search = std::max(p.search, p.mayShift), o.searchTurn = std::max(p.searchTurn, std::min(p.mayTurn, 90.0));
    o.leastArea = p.leastArea, o.leastAlike = p.alike / 100;
    o.marked = place.marked;
    const std::vector<std::uint8_t> counts = countsIn(outline, {}, *box, reference);
    std::optional<Component> alone; // of the reference, to lay the samples by
    for (const Source& s : sources) {
        if (s.sample && !s.sample->good()) continue;
        const Light light = lightAt(s.light, scene, outline.middle());
        Patch patch = vision::laid(*s.picture, colour, *box, s.carry);
        if (!good.empty() && patch.pixels.format() != good.front().pixels.format()) continue;
        if (alone && alone->learned().box() == *box) {
            // Each lies a little elsewhere, as far as it may; what varies is learned of what it shows.
            const auto seen = alone->look(*s.picture, s.carry, light);
            if (seen.alike >= o.leastAlike)
                patch = vision::laid(*s.picture, colour, *box,
                                     [&](Point q) { return s.carry(alone->carried(q, seen.beside)); });
        }
        good.push_back(std::move(patch)), lights.push_back(light);
        if (!alone)
            if (auto made = Component::make(good, lights, {}, {}, counts, o)) alone = std::move(*made);
    }
    const Source* own = nullptr;
    for (const Source& s : sources)
        if (s.sample && std::find(s.sample->bare.begin(), s.sample->bare.end(), place.name) != s.sample->bare.end()) {
            own = &s;
            Patch patch = vision::laid(*s.picture, colour, *box, s.carry);
            if (!good.empty() && patch.pixels.format() == good.front().pixels.format())
                bare.push_back(std::move(patch)), bareLights.push_back(lightAt(s.light, scene, outline.middle()));
        }
    if (!own && !bareSeen.empty()) {
        const BareSeen* nearest = &bareSeen.front();
        const auto size = [&](const Region& r) { return boxOf(r, 0, reference).value_or(PatchBox{}); };
        const PatchBox mine = size(outline);
        double least = 1e300;
        for (const BareSeen& b : bareSeen) {
            const PatchBox other = size(b.outline);
            const double off = std::abs(std::log((mine.width + 1.0) / (other.width + 1.0))) +
                               std::abs(std::log((mine.height + 1.0) / (other.height + 1.0)));
            if (off < least) least = off, nearest = &b;
        }
        const PatchBox other = size(nearest->outline);
        const Point from = outline.middle(), to = nearest->outline.middle();
        const double kx = double(other.width) / double(mine.width), ky = double(other.height) / double(mine.height);
        Patch patch = vision::laid(*nearest->source->picture, colour, *box, [&](Point q) {
            return nearest->source->carry({to.x + (q.x - from.x) * kx, to.y + (q.y - from.y) * ky});
        });
        if (!good.empty() && patch.pixels.format() == good.front().pixels.format())
            bare.push_back(std::move(patch)), bareLights.push_back(lightAt(nearest->source->light, scene, to));
    }
    const Patch around = vision::laid(reference, false, boxOf(outline, o.search + 2, reference).value_or(*box),
                                      [](Point q) { return q; });
    auto made = Component::make(good, lights, bare, bareLights, counts, o, &around);
    if (made) one.component = std::move(*made);
    else one.reason = made.error().message;
    return one;
}

// Of a component and of what lies round it, as far as that is no place.
UsualHeights::Sample heightSample(const image::Picture& heights, const PatchBox& box, const vision::Carry& carry,
                                  const Component& c, const vision::Beside& beside)
{
    return {vision::laid(heights, false, box, [&](Point q) { return carry(c.carried(q, beside)); }),
            vision::laid(heights, false, box, carry)};
}
// Good ones with their heights; none: heights are not looked at.
using HeightSources = std::vector<std::pair<const Source*, const image::Picture*>>;
HeightSources heightsOf(const TeachInput& in, const std::vector<Source>& sources)
{
    HeightSources out;
    const auto said = in.pictures.find(kHeights);
    if (said == in.pictures.end()) return out;
    for (const Source& s : sources) {
        if (s.sample && !s.sample->good()) continue;
        if (const image::Picture* heights = s.sample ? pictureOf(in, *s.sample, said->second->key) : said->second)
            out.emplace_back(&s, heights);
    }
    return out;
}
void learnHeights(const P& p, const HeightSources& sources, One& one, const Region& outline,
                  const std::vector<Region>& all, const Scene& scene, const image::Picture& reference)
{
    const Component& c = *one.component;
    const PatchBox& inner = c.learned().box();
    // The ground round it: as much as half its size, beyond what it may be shifted by.
    const int gap = int(std::ceil(p.mayShift)) + 2;
    const PatchBox box =
        boxOf(outline, gap + std::max(8.0, 0.5 * std::min(inner.width, inner.height)), reference).value_or(inner);
    std::vector<std::uint8_t> others(box.count(), 0);
    for (const Region& r : all) {
        const auto in = countsIn(r, {}, box, reference);
        for (std::size_t i = 0; i < others.size(); ++i) others[i] |= in[i];
    }
    std::vector<UsualHeights::Sample> good;
    for (const auto& [source, heights] : sources) {
        const auto seen = c.look(*source->picture, source->carry, lightAt(source->light, scene, outline.middle()));
        if (seen.named != Named::AsUsual && source->sample) continue;
        good.push_back(heightSample(*heights, box, source->carry, c, seen.beside));
    }
    auto made = UsualHeights::make(good, UsualHeights::areas(box, countsIn(outline, {}, box, reference), others, gap),
                                   p.mayLift);
    if (made) one.heights = std::move(*made);
    else one.heightsReason = made.error().message;
}

const image::Picture* pictureAt(const image::Capture& capture, const image::Picture& usual, const std::string& key)
{
    return key.empty() ? &usual : capture.find(key);
}

base::Result<Taught> teach(const P& p, const TeachInput& in)
{
    Taught t;
    const std::vector<Place> places = outlinedPlaces(in.places, in.regions, [](Point q) { return q; });
    if (places.empty()) return base::fail(base::ErrorCode::NoResult, "no place has been drawn");
    std::vector<Region> outlines;
    std::set<std::string> keys;
    for (const Place& place : places) outlines.push_back(*place.outline), keys.insert(place.picture);
    for (const std::string& key : keys) {
        const image::Picture* reference = pictureAt(in.reference, in.seen(), key);
        if (!reference || reference->content == image::Content::Height) {
            for (const Place& place : places)
                if (place.picture == key)
                    t.places.push_back(
                        {place.name, key, {}, {}, "the capture holds no picture \"" + key + "\" of light", {}, {}});
            continue;
        }
        const Scene& scene = t.scenes[key] = sceneOf(outlines, *reference);
        std::vector<Source> sources{{reference, [](Point q) { return q; }, {}, nullptr}};
        for (const SampleInput& s : in.learnedFrom)
            if (const image::Picture* picture = pictureOf(in, s, reference->key)) {
                Source one{picture, carryTo(in, s), {}, &s};
                one.light = sceneLight(p, *picture, scene, one.carry);
                sources.push_back(std::move(one));
            }
        std::vector<BareSeen> bareSeen;
        for (const Source& s : sources)
            for (std::size_t i = 0; s.sample && i < places.size(); ++i)
                if (std::find(s.sample->bare.begin(), s.sample->bare.end(), places[i].name) != s.sample->bare.end())
                    bareSeen.push_back({outlines[i], &s});
        const HeightSources heights = heightsOf(in, sources);
        std::vector<std::optional<base::Result<One>>> made(places.size());
        base::parallelFor(int(places.size()), 0, [&](int n) {
            const auto i = std::size_t(n);
            if (places[i].picture != key) return;
            auto& one = made[i].emplace(taughtPlace(p, places[i], outlines[i], sources, bareSeen, scene, *reference));
            if (one && one->component && !heights.empty())
                learnHeights(p, heights, *one, outlines[i], outlines, scene, *reference);
        });
        for (auto& one : made) {
            if (!one) continue;
            if (!*one) return base::passOn(one->error());
            t.places.push_back(std::move(**one));
        }
    }
    // In the order they were drawn.
    std::vector<One> ordered;
    for (const Place& place : places)
        for (One& one : t.places)
            if (one.name == place.name && (one.component || !one.reason.empty())) {
                ordered.push_back(std::move(one));
                one.reason.clear(), one.component.reset();
                break;
            }
    t.places = std::move(ordered);
    return t;
}

std::string note(const P&, const Taught& t)
{
    std::string out;
    for (const One& one : t.places)
        if (const std::string& why = one.reason.empty() ? one.heightsReason : one.reason; !why.empty())
            out += (out.empty() ? "" : "; ") + ("place " + one.name + ": " + why);
    const auto first =
        std::find_if(t.places.begin(), t.places.end(), [](const One& o) { return o.component.has_value(); });
    if (first == t.places.end()) return out;
    if (const std::string few = fewSamples(first->component->learned().samples()); !few.empty())
        out += (out.empty() ? "" : "; ") + few;
    int heights = first->component->learned().samples();
    for (const One& one : t.places)
        if (one.heights) heights = std::min(heights, one.heights->samples());
    if (heights < first->component->learned().samples())
        out += (out.empty() ? "" : "; ") + ("heights: learned from " + std::to_string(heights) +
                                            (heights == 1 ? " good part alone" : " good parts only"));
    const bool ground = std::any_of(t.places.begin(), t.places.end(),
                                    [](const One& o) { return o.component && o.component->ground(); });
    if (!ground)
        out += std::string(out.empty() ? "" : "; ") +
               "bare ground unknown: a component that is missing can only be called another one";
    return out;
}

double degreesOf(const vision::Beside& b) { return geometry::degrees(b.turn); }
std::string liftText(double mm)
{
    return mm < 0 ? base::toText(-mm, 2) + " mm too low" : "lifted " + base::toText(mm, 2) + " mm";
}
std::string saysOfLight(const P& p, const RunInput& in, const Component::Seen& s)
{
    const double mm = in.mmPerPixel() * in.grows();
    const double d = geometry::distance(s.beside.shift, {});
    switch (s.named) {
    case Named::AsUsual: return {};
    case Named::Missing: return "missing";
    case Named::Turned: return "turned " + base::toText(std::abs(degreesOf(s.beside)), 1) + "°";
    case Named::Reversed:
        return std::abs(degreesOf(s.beside)) > p.mayTurn
                   ? "reversed and turned " + base::toText(std::abs(degreesOf(s.beside)), 1) + "°"
                   : "reversed";
    case Named::Shifted:
        return mm > 0 ? "shifted " + base::toText(d * mm, 2) + " mm" : "shifted " + base::toText(d, 1) + " px";
    case Named::Another: return "another one";
    case Named::OtherColour: return p.by == CompareBy::Colour ? "other colour" : "brighter or darker";
    case Named::Different: return "differs in part";
    case Named::Lifted: return {};
    case Named::Unseen: return "outside the picture";
    }
    return {};
}

struct LookedAt {
    Component::Seen seen;
    std::optional<UsualHeights::Lift> lift; // none: not looked at
    bool found() const { return seen.named != Named::Missing && seen.named != Named::Another; }
    bool lifted(const P& p) const { return lift && lift->known && std::abs(lift->most) > p.mayLift; }
};
std::string saysOf(const P& p, const RunInput& in, const LookedAt& l)
{
    std::string out = saysOfLight(p, in, l.seen);
    if (l.lifted(p)) out += (out.empty() ? "" : ", ") + liftText(l.lift->most);
    if (l.lift && !l.lift->known) out += (out.empty() ? "" : ", ") + ("lift not known: " + l.lift->why);
    return out;
}
struct Looked {
    std::vector<std::optional<LookedAt>> seen; // none: cannot be
    std::vector<const One*> ones;
};
base::Result<Looked> look(const P& p, const RunInput& in, const Taught& t)
{
    Looked out;
    const vision::Carry carry = carryTo(in);
    const auto said = in.pictures.find(kHeights);
    std::map<std::string, Light> fields;
    for (std::size_t i = 0; i < t.places.size(); ++i) {
        const One& one = t.places[i];
        out.ones.push_back(&one);
        out.seen.emplace_back();
        if (!one.component) continue;
        const image::Picture* picture = pictureAt(in.capture, in.seen(), one.picture);
        if (!picture || picture->content == image::Content::Height)
            return base::fail(base::ErrorCode::NotFound, "the capture holds no picture \"" + one.picture +
                                                             "\" of light, place " + one.name + " is seen in it");
        if (one.component->learned().colour() !=
            (p.by == CompareBy::Colour && picture->content == image::Content::Colour))
            return base::fail(base::ErrorCode::NoResult, one.component->learned().colour()
                                                             ? "the picture has no colour, the good ones have"
                                                             : "the picture has colour, the good ones have none");
        const Scene& scene = t.scenes.at(one.picture);
        auto it = fields.find(one.picture);
        if (it == fields.end()) it = fields.emplace(one.picture, sceneLight(p, *picture, scene, carry)).first;
        LookedAt here{one.component->look(*picture, carry, lightAt(it->second, scene, one.component->middle())), {}};
        if (said != in.pictures.end() && here.seen.named != Named::Unseen) {
            if (!one.heights)
                return base::fail(base::ErrorCode::NoResult,
                                  "heights of place " + one.name + " were not learned: " + one.heightsReason);
            if (here.found())
                here.lift = one.heights->look(
                    heightSample(*said->second, one.heights->box(), carry, *one.component, here.seen.beside));
            if (here.lifted(p)) {
                here.seen.ratio = std::max(here.seen.ratio, std::abs(here.lift->most) / p.mayLift);
                // It looks different because it is lifted; where it lies and how it is turned remains said too.
                if (here.seen.named == Named::AsUsual || here.seen.named == Named::Different ||
                    here.seen.named == Named::OtherColour)
                    here.seen.named = Named::Lifted;
            }
            if (here.lift && !here.lift->known && here.seen.named == Named::AsUsual) here.seen.ratio = kNone;
        }
        out.seen.back() = std::move(here);
    }
    return out;
}

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const Taught& t = std::any_cast<const Taught&>(*in.taught);
    const auto looked = look(p, in, t);
    if (!looked) return base::passOn(looked.error());
    RunOutput out;
    auto &ratios = out.values["ratios"], &shifts = out.values["shifts"], &turns = out.values["turns"],
         &alike = out.values["alike"];
    std::vector<double> lifts;
    double faults = 0, missing = 0;
    std::string unseen;
    const std::vector<Place> places = outlinedPlaces(in.places, in.regions, [&](Point q) { return in.picture(q); });
    const auto here = carryTo(in);
    for (std::size_t i = 0; i < looked->ones.size(); ++i) {
        const One& one = *looked->ones[i];
        const auto& s = looked->seen[i];
        if (!s) return base::fail(base::ErrorCode::NoResult, "place " + one.name + " was not learned: " + one.reason);
        if (s->seen.named == Named::Unseen) unseen += (unseen.empty() ? "" : ", ") + one.name;
    }
    if (!unseen.empty()) return base::fail(base::ErrorCode::NoResult, "outside the picture: place " + unseen);
    for (std::size_t i = 0; i < looked->ones.size(); ++i) {
        const One& one = *looked->ones[i];
        const LookedAt& l = *looked->seen[i];
        const Component::Seen& s = l.seen;
        const Component& c = *one.component;
        ratios.push_back(s.ratio);
        if (l.lift) lifts.push_back(l.lift->known ? l.lift->most : kNone);
        else if (one.heights) lifts.push_back(kNone);
        const bool found = l.found() && s.named != Named::OtherColour;
        shifts.push_back(found ? geometry::distance(s.beside.shift, {}) * in.grows() : 0);
        turns.push_back(found ? degreesOf(s.beside) : 0);
        alike.push_back(100 * s.alike);
        faults += s.named != Named::AsUsual || std::isnan(s.ratio), missing += s.named == Named::Missing;
        out.elementNames[""].push_back(one.name);
        out.elementSays[""].push_back(saysOf(p, in, l));
        out.points["elements"].push_back(in.level(here(c.middle())));
        const auto place =
            std::find_if(places.begin(), places.end(), [&](const Place& q) { return q.name == one.name; });
        if (place == places.end()) continue;
        for (const auto& line : place->outline->outlines()) {
            Mark m = levelled(in, {MarkShape::Polygon, MarkRole::Found, line, 0, one.name});
            m.element = int(i) + 1;
            out.marks.push_back(std::move(m));
        }
        if (l.lifted(p)) {
            const PatchBox& box = c.learned().box();
            out.marks.push_back(levelled(in, {MarkShape::Circle,
                                              MarkRole::Stray,
                                              {here(c.carried(l.lift->at, s.beside))},
                                              std::min(box.width, box.height) / 4.0,
                                              {},
                                              int(i) + 1}));
        }
        // Where it lies instead.
        if (found && s.named != Named::AsUsual && s.named != Named::Different && s.named != Named::Lifted) {
            const Point a{double(c.learned().box().left), double(c.learned().box().top)};
            const Point size{double(c.learned().box().width), double(c.learned().box().height)};
            Mark m{MarkShape::Polygon, MarkRole::Stray, {}, 0, {}, int(i) + 1};
            for (const Point q : {a, a + Point{size.x, 0}, a + size, a + Point{0, size.y}})
                m.points.push_back(in.level(here(c.carried(q, s.beside))));
            out.marks.push_back(std::move(m));
        }
    }
    if (!lifts.empty()) out.values["lifts"] = std::move(lifts);
    out.values["count"] = {faults};
    out.values["missing"] = {missing};
    return out;
}

// Heights beyond the usual ones: half grey none, white or black four times what may be.
image::Image liftPicture(const UsualHeights::Lift& lift, const PatchBox& of, const PatchBox& shown, double mayLift)
{
    image::Image out(shown.width, shown.height, image::PixelFormat::Grey8);
    for (int y = 0; y < shown.height; ++y) {
        auto* row = out.row(y);
        for (int x = 0; x < shown.width; ++x) {
            const int px = shown.left + x - of.left, py = shown.top + y - of.top;
            row[x] = 128;
            if (px < 0 || py < 0 || px >= of.width || py >= of.height) continue;
            const float d = lift.differences[std::size_t(py) * std::size_t(of.width) + std::size_t(px)];
            if (!std::isnan(d))
                row[x] = std::uint8_t(std::clamp(127.5 + 127.5 * double(d) / (4 * mayLift), 0.0, 255.0));
        }
    }
    return out;
}

base::Result<Evidence> evidence(const P& p, const RunInput& in)
{
    const Taught& t = std::any_cast<const Taught&>(*in.taught);
    const auto looked = look(p, in, t);
    if (!looked) return base::passOn(looked.error());
    Evidence e;
    e.title = "largest difference ÷ allowed";
    e.xLabel = "place", e.yLabel = "ratio";
    e.logarithmic = true;
    e.limit = 1;
    std::size_t worst = 0;
    double most = -1;
    for (std::size_t i = 0; i < looked->ones.size(); ++i) {
        const One& one = *looked->ones[i];
        const double x = double(i) + 1;
        if (one.component)
            for (const double o : one.component->learned().own())
                e.dots.push_back({x, o, Evidence::Dot::Of::Good, one.name});
        if (one.heights)
            for (const double o : one.heights->own())
                e.dots.push_back({x, o / p.mayLift, Evidence::Dot::Of::Good, one.name});
        const double r = looked->seen[i] ? looked->seen[i]->seen.ratio : kNone;
        e.dots.push_back({x, r, Evidence::Dot::Of::Here, one.name});
        if (r > most) most = r, worst = i;
    }
    if (in.chosen > 0 && std::size_t(in.chosen) <= looked->ones.size()) worst = std::size_t(in.chosen) - 1;
    const One& one = *looked->ones[worst];
    if (!one.component || !looked->seen[worst]) return e;
    const Component& c = *one.component;
    const LookedAt& l = *looked->seen[worst];
    const Component::Seen& s = l.seen;
    const std::string says = saysOf(p, in, l);
    e.note = "place " + one.name + ": " + (says.empty() ? "as the good ones" : says);
    const image::Picture* picture = pictureAt(in.capture, in.seen(), one.picture);
    const PatchBox& box = c.learned().box();
    Evidence::Map map;
    map.picture = std::make_shared<const image::Image>(c.learned().map(map.low, map.high));
    map.unit = c.learned().colour() ? "colour difference" : "grey";
    map.text = "allowed difference of place " + one.name + ", from " + std::to_string(c.learned().samples()) + " good";
    e.map = std::move(map);
    Evidence::Pair pair;
    pair.good = std::make_shared<const image::Image>(shownPatch(one.shown));
    const Patch patch = vision::laid(*picture, true, one.shown.box, carryTo(in));
    pair.here = std::make_shared<const image::Image>(shownPatch(patch));
    pair.difference = std::make_shared<const image::Image>(differencePicture(c.learned(), s.here, s.light, patch));
    if (s.named == Named::Lifted) // what is wrong is seen in the heights
        pair.difference =
            std::make_shared<const image::Image>(liftPicture(*l.lift, one.heights->box(), one.shown.box, p.mayLift));
    pair.goodText = "good", pair.hereText = "place " + one.name;
    const bool found = l.found() && s.named != Named::OtherColour;
    const Point corner{double(one.shown.box.left), double(one.shown.box.top)};
    if (found) {
        // Its longer axis, as it should be and as it is.
        const bool upright = box.height > box.width;
        const Point half = upright ? Point{0, box.height / 2.0} : Point{box.width / 2.0, 0};
        pair.should = {c.middle() - half - corner, c.middle() + half - corner};
        if (s.named != Named::AsUsual)
            pair.is = {c.carried(c.middle() - half, s.beside) - corner,
                       c.carried(c.middle() + half, s.beside) - corner};
        const double mm = in.mmPerPixel();
        const auto length = [&](double px) {
            return mm > 0 ? base::toText(px * mm, 3) + " mm" : base::toText(px, 2) + " px";
        };
        pair.facts.push_back({"shift " + length(s.beside.shift.x) + ", " + length(s.beside.shift.y),
                              geometry::distance(s.beside.shift, {}) <= p.mayShift || s.named == Named::Different});
        pair.facts.push_back(
            {"turn " + base::toText(degreesOf(s.beside), 1) + "°, may " + base::toText(p.mayTurn, 1) + "°",
             std::abs(degreesOf(s.beside)) <= p.mayTurn});
        if (c.options().marked)
            pair.facts.push_back(
                {s.beside.reversed ? "the other way round" : "the right way round", !s.beside.reversed});
    }
    if (l.lift)
        pair.facts.push_back(
            {l.lift->known ? "lift " + base::toText(l.lift->most, 3) + " mm, may " + base::toText(p.mayLift, 3) + " mm"
                           : "lift not known: " + l.lift->why,
             l.lift->known && !l.lifted(p)});
    pair.facts.push_back({base::toText(100 * s.alike, 0) + " % of it as usual", s.alike >= p.alike / 100});
    if (c.ground() && s.named != Named::AsUsual)
        pair.facts.push_back({base::toText(100 * s.bare, 0) + " % as the bare ground", s.named != Named::Missing});
    e.pair = std::move(pair);
    return e;
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    const auto frame = framedBy(g, in);
    if (!frame) return {};
    P p;
    if (in.seen().content == image::Content::Colour) p.by = CompareBy::Colour;
    Offer o;
    o.step.params = p;
    o.step.name = "Places";
    Place one = framedPlace(*frame);
    one.marked = true;
    o.step.places = {one};
    o.words = "component in its place";
    o.rank = 5;
    o.judged = {"ratios"};
    o.note = in.hasDatum ? "" : "it follows no datum: only parts that always lie alike can be compared";
    return {o};
}
} // namespace

StepKind component_places()
{
    Declare<P> d(
        {"component_places", "Components in their places",
         "Places that each hold a component: compared with the good one, and what is wrong is named: missing, turned, "
         "reversed, shifted, another one, of another colour; with a picture of heights, lifted."},
        Question::Same, 1, "vision/component.h");
    d.called("Places")
        .purpose(
            "component part missing present turned rotated reversed polarity shifted wrong another assembly placement")
        .drawn("Ctrl and drag a frame round one; more in the form")
        .region({"outline",
                 "Outline",
                 "What a component covers where a place has no outline of its own.",
                 {Shape::Rectangle, Shape::Circle, Shape::Polygon},
                 false})
        .places()
        .teaches(teach, note);
    declareLearned(d);
    return d
        .picture({kHeights,
                  "Heights",
                  "Heights of the same capture, by which a component is told that is lifted; none: they are not looked "
                  "at.",
                  true,
                  false,
                  {"may_lift"}})
        .param(&P::mayShift, {"may_shift", "May be shifted", "A component that lies so far beside its place is good."},
               Unit::Pixel, Real{0.2, 1000, 0.5, 0.5, 20}, true)
        .param(&P::mayTurn, {"may_turn", "May be turned", "A component that is turned by so much is good."},
               Unit::Degree, Real{0.1, 90, 0.5, 0.5, 20}, true)
        .param(&P::mayLift,
               {"may_lift", "May be lifted",
                "Where a picture of heights is chosen: no part of a component may lie farther above or below its usual "
                "height over the ground round it."},
               Unit::Millimetre, Real{0.001, 1000, 0.01, 0.02, 5})
        .param(&P::search,
               {"search", "Looked for within",
                "How far beside its place a component is looked for, to be called shifted."},
               Unit::Pixel, Real{1, 300, 1, 3, 80})
        .param(&P::searchTurn,
               {"search_turn", "Looked for turned", "How far turned a component is looked for, either way."},
               Unit::Degree, Real{0, 90, 1, 0, 60})
        .param(&P::alike,
               {"alike", "Alike at least",
                "Share of a component's pixels that must be as usual where it is found; else it is another one."},
               Unit::Percent, Real{10, 100, 1, 30, 95})
        .param(&P::leastArea,
               {"least_area", "Smallest difference", "Connected places that are smaller are no difference."},
               Unit::SquarePixel, Real{1, 1e6, 1, 1, 200})
        .output({"ratios", "Ratio of each",
                 "Of each place the largest of its differences, its shift, its turn and its lift by what they may be: "
                 "above 1 a fault.",
                 Unit::None, true, false, true})
        .output({"shifts", "Shift of each", "How far each component lies beside its place.", Unit::Pixel, true})
        .output({"turns", "Turn of each", "How far each component is turned.", Unit::Degree, true})
        .output({"alike", "Alike of each", "Share of each component that is as usual.", Unit::Percent, true})
        .output({"lifts", "Lift of each",
                 "With heights: how far the farthest part of each component lies above its usual height, or below it.",
                 Unit::Millimetre, true})
        .output({"count", "Faults", "Number of places with something wrong.", Unit::None})
        .output({"missing", "Missing", "Number of places that show bare ground.", Unit::None})
        .better({"ratios", "shifts", "count", "missing"}, OutputSpec::Better::Less, 0.0)
        .better({"alike"}, OutputSpec::Better::More, 0.0, 100.0)
        .usually("ratios", {}, 1.0)
        .usually("count", {}, 0.0)
        .usually("missing", {}, 0.0)
        .madeByArea()
        .shows(evidence)
        .offers(offer)
        .runs(run);
}

} // namespace steps
