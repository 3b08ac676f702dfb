#include "inspect/inspect.h"

#include "inspect/calibrating.h"

#include "base/files.h"
#include "base/parallel.h"
#include "recipe/calibration_file.h"
#include "recipe/naming.h"
#include "recipe/recipe_file.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <nlohmann/json.hpp>
#include <set>

namespace inspect
{
using namespace recipe;
using geometry::Motion;
using geometry::Point;
using geometry::Pose;
using geometry::Region;

namespace
{
// Something a kind declares as a person and as a file names it.
std::string bothNames(const std::string& label, const std::string& key) { return "\"" + label + "\" (" + key + ")"; }
// What a step's own result depends on.
std::uint64_t ownFingerprint(const Step& s)
{
    nlohmann::json j = stepToJson(s);
    for (const char* key : {"name", "checks", "letter"}) j.erase(key);
    return base::fingerprint(j.dump());
}
std::uint64_t joined(std::uint64_t a, std::uint64_t b) { return base::fingerprint(std::to_string(b), a); }
constexpr std::size_t kMostSurplus = 100; // items; more are counted only
StepResultPtr runStep(const Prepared& prepared, const Step& step, const image::Capture& capture, const ItemResult& item,
                      std::uint64_t fingerprint);
// The pictures of the capture a step reads. Fails with NotFound and the reason it cannot run.
base::Result<std::map<std::string, const image::Picture*>> picturesFor(const Step& step, const StepKind& kind,
                                                                       const image::Capture& capture)
{
    std::map<std::string, const image::Picture*> out;
    for (const PictureSpec& spec : kind.pictures) {
        const auto it = step.pictures.find(spec.key);
        const bool said = it != step.pictures.end() && !it->second.empty();
        if (!said && &spec != &kind.pictures.front())
            return base::fail(base::ErrorCode::NotFound, "input missing: it has not been said which picture is " +
                                                             bothNames(spec.label, spec.key));
        const std::string key = said ? it->second : std::string();
        const image::Picture* found = capture.find(key);
        if (!found)
            return base::fail(base::ErrorCode::NotFound,
                              "the capture holds no picture \"" + key + "\"; there is " + capture.keys());
        if (spec.height != (found->content == image::Content::Height))
            return base::fail(base::ErrorCode::NotFound,
                              "the picture \"" + found->key + "\" holds " + (spec.height ? "light" : "heights") + "; " +
                                  bothNames(spec.label, spec.key) + " takes " + (spec.height ? "heights" : "light"));
        out[spec.key] = found;
    }
    return out;
}
double since(std::chrono::steady_clock::time_point start)
{
    return std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - start).count();
}
} // namespace

base::Result<Prepared> Prepared::make(Recipe recipe, const Prepared* before)
{
    auto p = begin(std::move(recipe), before);
    if (p) p->finish();
    return p;
}

base::Result<Prepared> Prepared::begin(Recipe recipe, const Prepared* before)
{
    Prepared p;
    auto order = orderByDependence(recipe.steps);
    if (!order) return base::passOn(order.error());
    p.m_order = std::move(*order);
    const std::uint64_t calibrated = base::fingerprint(calibrationToJson(recipe.calibration).dump());
    const std::uint64_t named = recipe.pictures.empty() ? 0 : base::fingerprint(namingToJson(recipe.pictures).dump());
    for (const int i : p.m_order) {
        const Step& s = recipe.steps[std::size_t(i)];
        const StepKind* kind = findKind(s.kind);
        const std::uint64_t own = ownFingerprint(s);
        std::uint64_t mark = own;
        // What is taught comes from the reference; so does the place of a datum that other steps find.
        if (kind && (kind->mustBeTaught(s.params) || kind->datum)) mark = joined(mark, recipe.reference.fingerprint);
        if (!recipe.empty.empty()) mark = joined(mark, recipe.empty.fingerprint);
        if (named) mark = joined(mark, named);
        for (const std::string& id : Recipe::reads(s)) {
            const auto it = p.m_fingerprints.find(id);
            mark = joined(mark, it == p.m_fingerprints.end() ? 0 : it->second);
        }
        mark = joined(mark, calibrated);
        p.m_fingerprints[s.id] = mark;
        if (p.m_itemDatum < 0 && kind && kind->datum && s.inUse && s.datum.empty()) p.m_itemDatum = i;
        if (!kind || !kind->mustBeTaught(s.params)) continue;
        Taught t;
        t.fingerprint = joined(own, recipe.reference.fingerprint);
        if (recipe.calibration.bends()) t.fingerprint = joined(t.fingerprint, calibrated);
        if (!recipe.empty.empty()) t.fingerprint = joined(t.fingerprint, recipe.empty.fingerprint);
        if (named) t.fingerprint = joined(t.fingerprint, named);
        if (const Taught* old = before ? before->taught(s.id) : nullptr; old && old->fingerprint == t.fingerprint)
            t = *old;
        else if (recipe.reference.empty()) t.reason = "not taught: the recipe has no reference";
        else p.m_untaught.push_back(i);
        p.m_taught[s.id] = std::move(t);
    }
    p.m_recipe = std::move(recipe);
    // The item datum may be found by other steps: those come first, and all they read.
    if (p.m_itemDatum >= 0) {
        std::set<std::string> needed{p.m_recipe.steps[std::size_t(p.m_itemDatum)].id};
        for (auto it = p.m_order.rbegin(); it != p.m_order.rend(); ++it)
            if (const Step& s = p.m_recipe.steps[std::size_t(*it)]; needed.count(s.id))
                for (const std::string& id : Recipe::reads(s)) needed.insert(id);
        for (const int i : p.m_order)
            if (i != p.m_itemDatum && needed.count(p.m_recipe.steps[std::size_t(i)].id)) p.m_beforeItems.push_back(i);
    }
    p.m_recipe.datumPoses.clear();
    const std::set<std::string> needed = p.neededForPoses();
    // Nothing they depend on has changed: they lie where they lay.
    const bool same = before && std::all_of(needed.begin(), needed.end(), [&](const std::string& id) {
                          return p.fingerprint(id) != 0 && p.fingerprint(id) == before->fingerprint(id);
                      });
    if (!needed.empty() && same) p.m_recipe.datumPoses = before->recipe().datumPoses;
    p.m_posesMissing = !needed.empty() && !same;
    return p;
}

void Prepared::finish()
{
    for (const int i : m_untaught) teach(i);
    m_untaught.clear();
    if (m_posesMissing) findDatumPoses();
    m_posesMissing = false;
}

void Prepared::teach(int step)
{
    const Step& s = m_recipe.steps[std::size_t(step)];
    const StepKind& kind = *findKind(s.kind);
    Taught& t = m_taught.at(s.id);
    const auto pictures = picturesFor(s, kind, *m_recipe.reference.capture);
    if (!pictures) {
        t.reason = "not taught: " + pictures.error().message;
        return;
    }
    TeachInput in{*m_recipe.reference.capture, s.regions, s.points, s.leaveOut, s.samples, &m_recipe.calibration};
    if (!m_recipe.empty.empty()) in.empty = m_recipe.empty.capture.get();
    if (!kind.pictures.empty()) in.main = pictures->at(kind.pictures.front().key);
    auto model = kind.teach(s.params, in);
    if (!model) {
        t.reason = "not taught: " + model.error().text();
        return;
    }
    t.model = std::make_shared<const std::any>(std::move(*model));
    if (kind.taughtNote) t.note = kind.taughtNote(s.params, *t.model);
}

// Datums that are found by other steps (two holes, a corner, a blob), and what those read.
std::set<std::string> Prepared::neededForPoses() const
{
    std::set<std::string> needed;
    if (m_recipe.reference.empty()) return needed;
    for (auto it = m_order.rbegin(); it != m_order.rend(); ++it) {
        const Step& s = m_recipe.steps[std::size_t(*it)];
        const StepKind* kind = findKind(s.kind);
        if (kind && kind->datum && !kind->teach) needed.insert(s.id);
        if (needed.count(s.id))
            for (const std::string& id : Recipe::reads(s)) needed.insert(id);
    }
    return needed;
}

// They are run on the reference, in order of dependence.
void Prepared::findDatumPoses()
{
    const std::set<std::string> needed = neededForPoses();
    ItemResult item;
    for (const int i : m_order) {
        const Step& s = m_recipe.steps[std::size_t(i)];
        if (!needed.count(s.id)) continue;
        const StepResultPtr r = runStep(*this, s, *m_recipe.reference.capture, item, 0);
        item.steps.push_back(r);
        const StepKind* kind = findKind(s.kind);
        if (kind && kind->datum && !kind->teach && r->state == State::Ok && !r->finds.empty())
            m_recipe.datumPoses[s.id] = r->finds.front().pose;
    }
}

const Taught* Prepared::taught(const std::string& step) const
{
    const auto it = m_taught.find(step);
    return it == m_taught.end() ? nullptr : &it->second;
}
std::uint64_t Prepared::fingerprint(const std::string& step) const
{
    const auto it = m_fingerprints.find(step);
    return it == m_fingerprints.end() ? 0 : it->second;
}

std::optional<Pose> referencePose(const Recipe& recipe, const std::string& datum)
{
    const Step* s = recipe.find(datum);
    const StepKind* kind = s ? findKind(s->kind) : nullptr;
    if (!kind || !kind->datum) return std::nullopt;
    if (!kind->teach) {
        const auto it = recipe.datumPoses.find(datum);
        return it == recipe.datumPoses.end() ? std::nullopt : std::optional(it->second);
    }
    Pose pose;
    const auto origin = s->points.find(kind->roles.origin);
    if (origin != s->points.end()) pose.origin = origin->second;
    else if (!kind->regions.empty() && s->regions.count(kind->regions.front().key))
        pose.origin = s->regions.at(kind->regions.front().key).middle();
    if (const ParamSpec* direction = kind->param(kind->roles.direction))
        pose.angle = geometry::radians(std::get<double>(direction->get(s->params)));
    if (recipe.calibration.bends()) {
        const auto& c = recipe.calibration;
        const Point x = geometry::direction(pose.angle);
        pose = {c.level(pose.origin), geometry::angleOf(c.level(pose.origin + x) - c.level(pose.origin - x))};
    }
    return pose;
}

std::optional<Motion> motionOf(const Recipe& recipe, const std::string& datum, const ItemResult* item)
{
    if (datum.empty()) return Motion{};
    const auto reference = referencePose(recipe, datum);
    const StepResult* found = item ? item->step(datum) : nullptr;
    if (!reference || !found || found->state != State::Ok || found->finds.empty()) return std::nullopt;
    return Motion{*reference, found->finds.front().pose, found->finds.front().scale};
}

namespace
{
// The result of a step as a region: the first of the wanted shapes that can be made of it.
std::optional<Region> regionFrom(const StepResult& r, const RegionSpec& spec, double grow, const Pose& frame)
{
    using geometry::Shape;
    if (r.features.empty()) return std::nullopt;
    const Feature& f = r.features.begin()->second;
    const auto wants = [&](Shape s) {
        return std::find(spec.shapes.begin(), spec.shapes.end(), s) != spec.shapes.end();
    };
    const auto round = [&](Point c, double radius) -> std::optional<Region> {
        if (wants(Shape::Circle) && radius + grow > 0) return Region::circle(c, radius + grow);
        const double band = std::max(2.0, std::abs(grow));
        if (wants(Shape::Ring)) return Region::ring(c, std::max(0.0, radius - band), radius + band);
        if (wants(Shape::Rectangle) && radius + grow > 0)
            return Region::rectangle(c, 2 * (radius + grow), 2 * (radius + grow), frame.angle);
        return std::nullopt;
    };
    const auto frameRound = [&](const std::vector<Point>& points) -> std::optional<Region> {
        if (points.empty()) return std::nullopt;
        // Level with the datum.
        double left = 1e300, right = -1e300, top = 1e300, bottom = -1e300;
        for (const Point p : points) {
            const Point q = frame.toLocal(p);
            left = std::min(left, q.x), right = std::max(right, q.x), top = std::min(top, q.y),
            bottom = std::max(bottom, q.y);
        }
        const double w = right - left + 2 * grow, h = bottom - top + 2 * grow;
        const Point c = frame.toPicture({(left + right) / 2, (top + bottom) / 2});
        if (!(w > 0 && h > 0)) return std::nullopt;
        if (wants(Shape::Rectangle)) return Region::rectangle(c, w, h, frame.angle);
        if (wants(Shape::Circle)) return Region::circle(c, std::hypot(w, h) / 2);
        if (wants(Shape::Window))
            return Region::window(frame.toPicture({left - grow, (top + bottom) / 2}),
                                  frame.toPicture({right + grow, (top + bottom) / 2}), h);
        return std::nullopt;
    };
    if (const auto* p = std::get_if<Point>(&f)) return round(*p, 0);
    if (const auto* c = std::get_if<geometry::Circle>(&f)) return round(c->centre, c->radius);
    if (const auto* e = std::get_if<geometry::Ellipse>(&f)) return round(e->centre, e->major / 2);
    if (const auto* s = std::get_if<geometry::Segment>(&f)) {
        if (wants(Shape::Window) && s->length() > 0) return Region::window(s->from, s->to, std::max(2.0, 2 * grow));
        return frameRound({s->from, s->to});
    }
    if (const auto* c = std::get_if<Contour>(&f)) {
        if (wants(Shape::Polygon) && grow == 0 && c->points.size() >= 3 && c->points.size() <= geometry::kMostCorners)
            return Region::polygon(c->points);
        return frameRound(c->points);
    }
    return frameRound(std::get<Group>(f).extent);
}
} // namespace

Point carried(const Recipe& recipe, const Motion& motion, Point reference)
{
    const auto& c = recipe.calibration;
    return c.bends() ? c.picture(motion.carry(c.level(reference))) : motion.carry(reference);
}
Region carried(const Recipe& recipe, const Motion& motion, const Region& reference)
{
    if (!recipe.calibration.bends()) return reference.carried(motion);
    if (motion.reference == motion.now) return reference;
    return reference.mapped([&](Point p) { return carried(recipe, motion, p); });
}

namespace
{
Region inPicture(const Recipe& recipe, const Region& level)
{
    return recipe.calibration.bends() ? level.mapped([&](Point p) { return recipe.calibration.picture(p); }) : level;
}
} // namespace

std::map<std::string, Region> regionsInPicture(const Recipe& recipe, const Step& step, const ItemResult& item,
                                               bool& placed)
{
    std::map<std::string, Region> out;
    const auto motion = motionOf(recipe, step.datum, &item);
    placed = motion.has_value();
    const StepKind* kind = findKind(step.kind);
    if (!motion || !kind) return out;
    for (const auto& [key, of] : step.regionsOf)
        if (const StepResult* r = item.step(of.step); r && r->state == State::Ok && kind->region(key))
            if (const auto region = regionFrom(*r, *kind->region(key), of.grow, motion->now))
                out[key] = inPicture(recipe, *region);
    for (const auto& [key, r] : step.regions) {
        if (out.count(key)) continue;
        const RegionSpec* spec = kind->region(key);
        if (spec && spec->teaching) continue; // belongs to the reference
        out[key] = spec && spec->follows ? carried(recipe, *motion, r) : r;
    }
    return out;
}

namespace
{
// Gathers what a step reads; fails with the reason it cannot run.
base::Result<RunInput> inputFor(const Prepared& prepared, const Step& step, const StepKind& kind,
                                const image::Capture& capture, const ItemResult& item)
{
    const auto notRun = [](const std::string& why) { return base::fail(base::ErrorCode::NotFound, why); };
    const Recipe& recipe = prepared.recipe();
    RunInput in{capture, {}, {}, {}, {}, {}, nullptr};
    auto pictures = picturesFor(step, kind, capture);
    if (!pictures) return notRun(pictures.error().message);
    in.pictures = std::move(*pictures);
    if (recipe.calibrated()) in.calibration = &recipe.calibration;
    if (!recipe.empty.empty()) in.empty = recipe.empty.capture.get();
    if (!step.datum.empty()) {
        const Step* datum = recipe.find(step.datum);
        if (!datum) return notRun("input missing: the datum it follows is not in the recipe");
        if (const StepKind* k = findKind(datum->kind); !k || !k->datum)
            return notRun("input missing: \"" + datum->name + "\" is no datum");
        const auto motion = motionOf(recipe, step.datum, &item);
        const StepResult* found = item.step(step.datum);
        if (!motion && found && found->state == State::Ok && !referencePose(recipe, step.datum))
            return notRun("datum " + datum->letter + " \"" + datum->name +
                          "\" was not found on the reference, so nothing can follow it");
        if (!motion) {
            return notRun("datum " + datum->letter + " \"" + datum->name + "\" was not found" +
                          (found && !found->reason.empty() ? " (" + found->reason + ")" : ""));
        }
        in.motion = *motion;
        in.frame = motion->now;
    }
    for (const RegionSpec& spec : kind.regions) {
        if (const auto of = step.regionsOf.find(spec.key); of != step.regionsOf.end()) {
            const Step* from = recipe.find(of->second.step);
            const StepResult* r = from ? item.step(from->id) : nullptr;
            if (!from)
                return notRun("input missing: the region " + bothNames(spec.label, spec.key) +
                              " names no step of the recipe");
            if (!r || r->state != State::Ok)
                return notRun("\"" + from->name + "\" was not found" +
                              (r && !r->reason.empty() ? " (" + r->reason + ")" : ""));
            const auto region = regionFrom(*r, spec, of->second.grow, in.frame);
            if (!region)
                return notRun("the result of \"" + from->name + "\" gives no region for " +
                              bothNames(spec.label, spec.key));
            if (auto ok = region->check(); !ok)
                return notRun("the result of \"" + from->name + "\" as region: " + ok.error().message);
            in.regions[spec.key] = inPicture(recipe, *region);
            continue;
        }
        const auto it = step.regions.find(spec.key);
        if (it == step.regions.end()) {
            if (spec.needed && !spec.teaching)
                return notRun("the region " + bothNames(spec.label, spec.key) + " has not been drawn");
            continue;
        }
        in.regions[spec.key] = spec.follows && !spec.teaching ? carried(recipe, in.motion, it->second) : it->second;
    }
    for (const auto& [key, p] : step.points) in.points[key] = in.motion.carry(in.level(p));
    for (const Region& r : step.leaveOut) in.leaveOut.push_back(carried(recipe, in.motion, r));
    in.filters = step.filters;
    for (const Place& p : step.places) in.places.push_back({p.name, in.motion.carry(in.level(p.at))});
    for (const InputSpec& spec : kind.inputs) {
        const auto it = step.inputs.find(spec.key);
        if (!spec.needed && (it == step.inputs.end() || it->second.empty())) continue;
        const Step* from = it == step.inputs.end() ? nullptr : recipe.find(it->second);
        if (!from) return notRun("input missing: " + bothNames(spec.label, spec.key) + " names no step of the recipe");
        const StepResult* r = item.step(from->id);
        if (!r || r->state != State::Ok)
            return notRun("\"" + from->name + "\" was not found" +
                          (r && !r->reason.empty() ? " (" + r->reason + ")" : ""));
        if (r->features.empty()) return notRun("\"" + from->name + "\" gives no feature to measure from");
        const Feature& f = r->features.begin()->second;
        if (std::find(spec.accepts.begin(), spec.accepts.end(), typeOf(f)) == spec.accepts.end())
            return notRun(bothNames(spec.label, spec.key) + " does not take a " + std::string(recipe::name(typeOf(f))) +
                          " (\"" + from->name + "\")");
        in.inputs.emplace(spec.key, f);
        if (const auto all = r->points.find("all"); all != r->points.end()) in.inputPoints[spec.key] = all->second;
    }
    // What a formula names, by "step" and "step.output".
    for (const ParamSpec& p : kind.params) {
        const auto* text = std::get_if<Text>(&p.domain);
        if (!text || !text->formula) continue;
        std::string missing;
        in.named.merge(namedResults(recipe, item, std::get<std::string>(p.get(step.params)), missing));
        if (!missing.empty()) return notRun(missing);
    }
    if (const Taught* t = prepared.taught(step.id)) {
        if (!t->model) return notRun(t->reason);
        in.taught = t->model.get();
    }
    return in;
}

// Under tilt or lens: marks are drawn, and places in the picture are said, in picture px.
void intoPicture(const StepKind& kind, const RunInput& in, RunOutput& out)
{
    for (Mark& m : out.marks) {
        if (m.shape == MarkShape::Circle && !m.points.empty()) {
            const int n = 96;
            std::vector<Point> round;
            for (int i = 0; i < n; ++i)
                round.push_back(
                    in.picture(m.points.front() + geometry::direction(2 * geometry::kPi * i / n) * m.radius));
            m.shape = MarkShape::Polygon, m.points = std::move(round);
            continue;
        }
        if ((m.shape == MarkShape::Polyline || m.shape == MarkShape::Polygon) && m.points.size() < 200) {
            // A long straight side is bent in the picture.
            std::vector<Point> fine;
            const std::size_t sides = m.shape == MarkShape::Polygon ? m.points.size() : m.points.size() - 1;
            for (std::size_t i = 0; i < m.points.size(); ++i) {
                const Point a = m.points[i], b = m.points[(i + 1) % m.points.size()];
                const int pieces = i < sides ? std::clamp(int(geometry::distance(a, b) / 60), 1, 64) : 1;
                for (int k = 0; k < pieces; ++k) fine.push_back(in.picture(a + (b - a) * (double(k) / pieces)));
            }
            m.points = std::move(fine);
            continue;
        }
        for (Point& p : m.points) p = in.picture(p);
    }
    for (const auto& [xKey, yKey] : kind.roles.places) {
        const auto x = out.values.find(xKey), y = out.values.find(yKey);
        if (x == out.values.end() || y == out.values.end() || x->second.size() != y->second.size()) continue;
        for (std::size_t i = 0; i < x->second.size(); ++i) {
            const Point p = in.picture({x->second[i], y->second[i]});
            x->second[i] = p.x, y->second[i] = p.y;
        }
    }
}

StepResultPtr runStep(const Prepared& prepared, const Step& step, const image::Capture& capture, const ItemResult& item,
                      std::uint64_t fingerprint)
{
    const auto start = std::chrono::steady_clock::now();
    auto r = std::make_shared<StepResult>();
    r->step = step.id;
    r->fingerprint = fingerprint;
    const StepKind* kind = findKind(step.kind);
    if (!step.inUse) {
        r->reason = "not in use";
        return r;
    }
    auto in = inputFor(prepared, step, *kind, capture, item);
    if (!in) {
        r->reason = in.error().message;
        return r;
    }
    r->motion = in->motion;
    auto out = kind->run(step.params, *in);
    if (!out) {
        r->state = State::Failed;
        r->absent = out.error().code == base::ErrorCode::Absent;
        r->reason = out.error().text();
        r->milliseconds = since(start);
        return r;
    }
    r->state = State::Ok;
    if (in->bends()) intoPicture(*kind, *in, *out);
    const double factor = prepared.recipe().mmPerPixel();
    for (const OutputSpec& spec : kind->outputs) {
        const auto it = out->values.find(spec.key);
        if (it == out->values.end()) continue;
        OutputValue v{spec.key, prepared.recipe().unitOf(step, spec), spec.list, std::move(it->second)};
        if (spec.calibrates && spec.unitParam.empty() && factor > 0)
            for (double& x : v.values) x *= base::calibrationFactor(spec.unit, factor);
        r->outputs.push_back(std::move(v));
    }
    if (in->bends()) {
        const auto outside = [&](const Mark& m) {
            return m.role != MarkRole::Stray &&
                   std::any_of(m.points.begin(), m.points.end(), [&](Point p) { return !in->calibration->covers(p); });
        };
        if (std::any_of(out->marks.begin(), out->marks.end(), outside))
            out->note += std::string(out->note.empty() ? "" : "; ") +
                         "part of this lies outside the area the calibration was proved in";
    }
    r->features = std::move(out->features);
    r->marks = std::move(out->marks);
    r->finds = std::move(out->finds);
    r->surplusFinds = std::move(out->surplus);
    // What is made of a list that is cut off is cut off too.
    r->unlisted = out->unlisted;
    for (const auto& [key, id] : step.inputs)
        if (const StepResult* from = item.step(id)) r->unlisted = std::max(r->unlisted, from->unlisted);
    r->points = std::move(out->points);
    r->note = std::move(out->note);
    r->milliseconds = since(start);
    return r;
}
} // namespace

bool complete(const Prepared& prepared, const PictureResult& result)
{
    if (result.error || result.cancelled || result.items.empty()) return false;
    for (const ItemResult& item : result.items) {
        if (item.steps.size() != prepared.recipe().steps.size()) return false;
        for (const Step& s : prepared.recipe().steps) {
            const StepResult* r = item.step(s.id);
            if (!r || r->fingerprint != prepared.fingerprint(s.id)) return false;
        }
    }
    return true;
}

namespace
{
// One find of a datum as its own result: values, marks and feature lie where that find does. Surplus finds are counted
// on after the others.
StepResultPtr oneFind(const Recipe& recipe, const StepResult& all, std::size_t i)
{
    auto one = std::make_shared<StepResult>(all);
    one->surplus = i >= all.finds.size();
    const Find& f = one->surplus ? all.surplusFinds[i - all.finds.size()] : all.finds[i];
    one->finds = {f};
    one->surplusFinds.clear();
    if (one->surplus)
        one->reason = "surplus part: " + std::to_string(all.finds.size() + all.surplusFinds.size()) +
                      " are in the picture, " + std::to_string(all.finds.size()) + " wanted";
    const auto put = [&](const std::string& name, double x) {
        for (OutputValue& v : one->outputs)
            if (v.name == name) v.values = {x};
    };
    const Point at = recipe.calibration.bends() ? recipe.calibration.picture(f.pose.origin) : f.pose.origin;
    if (const Step* s = recipe.find(all.step)) {
        const Roles& roles = findKind(s->kind)->roles;
        put(roles.findX, at.x);
        put(roles.findY, at.y);
        put(roles.findAngle, geometry::degrees(f.pose.angle));
        put(roles.findScore, f.score);
        put(roles.findScale, f.scale);
    }
    for (auto& [name, feature] : one->features)
        if (std::holds_alternative<Point>(feature)) feature = f.pose.origin;
    one->marks.clear();
    for (const Mark& m : all.marks)
        if (m.element == int(i) + 1 || m.element == 0) one->marks.push_back(m);
    for (Mark& m : one->marks) m.element = 0;
    return one;
}
// A part that was expected and is not there.
StepResultPtr lostFind(const StepResult& all, int found, int expected)
{
    auto lost = std::make_shared<StepResult>();
    lost->step = all.step, lost->fingerprint = all.fingerprint;
    lost->state = State::Failed;
    lost->absent = true;
    lost->reason =
        "not found: " + std::to_string(found) + " of " + std::to_string(expected) + " parts are in the picture";
    return lost;
}
// Of a part beyond the wanted ones nothing is measured.
StepResultPtr notInspected(const Prepared& prepared, const Step& s, const StepResult& surplus)
{
    auto r = std::make_shared<StepResult>();
    r->step = s.id, r->fingerprint = prepared.fingerprint(s.id);
    r->reason = s.inUse ? surplus.reason : "not in use";
    return r;
}
int expectedFinds(const Step& s)
{
    const StepKind* kind = findKind(s.kind);
    const ParamSpec* p = kind ? kind->param(kind->roles.expected) : nullptr;
    return p ? int(std::get<std::int64_t>(p->get(s.params))) : 0;
}
} // namespace

PictureResult evaluate(const Prepared& prepared, const image::Capture& capture, const PictureResult* before,
                       const std::atomic<bool>* cancel, int threads)
{
    const auto start = std::chrono::steady_clock::now();
    const Recipe& recipe = prepared.recipe();
    PictureResult out;
    out.picture = capture.id();
    const auto earlier = [&](std::size_t item, const Step& s) -> StepResultPtr {
        if (!before || item >= before->items.size()) return nullptr;
        for (const auto& r : before->items[item].steps)
            if (r->step == s.id && r->fingerprint == prepared.fingerprint(s.id)) return r;
        return nullptr;
    };
    std::atomic<bool> stopped{false};
    const auto stop = [&] {
        if (cancel && cancel->load(std::memory_order_relaxed)) stopped = true;
        return stopped.load(std::memory_order_relaxed);
    };
    // What the item datum reads is the same for all items, and so are steps that stand still and read nothing else.
    std::map<std::string, StepResultPtr> shared;
    ItemResult common;
    for (const int i : prepared.beforeItems()) {
        const Step& s = recipe.steps[std::size_t(i)];
        StepResultPtr r = earlier(0, s);
        if (!r) r = runStep(prepared, s, capture, common, prepared.fingerprint(s.id));
        shared[s.id] = r;
        common.steps.push_back(r);
    }
    // The item datum is searched once; each of its finds is an item.
    std::vector<StepResultPtr> perItem;
    if (prepared.itemDatum() >= 0) {
        const Step& s = recipe.steps[std::size_t(prepared.itemDatum())];
        if (earlier(0, s)) {
            for (std::size_t i = 0; i < before->items.size(); ++i)
                if (auto r = earlier(i, s)) perItem.push_back(r);
        } else {
            const StepResultPtr all = runStep(prepared, s, capture, common, prepared.fingerprint(s.id));
            const int expected = expectedFinds(s);
            if (all->state == State::Ok && (all->finds.size() > 1 || expected > 1 || !all->surplusFinds.empty())) {
                for (std::size_t i = 0; i < all->finds.size(); ++i) perItem.push_back(oneFind(recipe, *all, i));
                for (int i = int(all->finds.size()); i < expected; ++i)
                    perItem.push_back(lostFind(*all, int(all->finds.size()), expected));
                const std::size_t every =
                    all->finds.size() + std::min<std::size_t>(all->surplusFinds.size(), kMostSurplus);
                for (std::size_t i = all->finds.size(); i < every; ++i) perItem.push_back(oneFind(recipe, *all, i));
            } else if (all->state == State::Failed && expected > 1) {
                for (int i = 0; i < expected; ++i) perItem.push_back(all);
            } else {
                perItem.push_back(all);
            }
        }
    }
    // Steps that stand still and read nothing: once for all items.
    const std::size_t items = std::max<std::size_t>(1, perItem.size());
    if (items > 1)
        for (const int index : prepared.order()) {
            const Step& s = recipe.steps[std::size_t(index)];
            if (index == prepared.itemDatum() || shared.count(s.id) || !Recipe::reads(s).empty() || stop()) continue;
            StepResultPtr r = earlier(0, s);
            shared[s.id] = r ? r : runStep(prepared, s, capture, common, prepared.fingerprint(s.id));
        }
    // Waves of steps that do not read each other; with several items each item is a job of its own.
    std::map<std::string, int> depth;
    std::vector<std::vector<int>> waves;
    for (const int index : prepared.order()) {
        const Step& s = recipe.steps[std::size_t(index)];
        int d = 0;
        for (const std::string& id : Recipe::reads(s))
            if (const auto it = depth.find(id); it != depth.end()) d = std::max(d, it->second + 1);
        depth[s.id] = d;
        waves.resize(std::max(waves.size(), std::size_t(d) + 1));
        waves[std::size_t(d)].push_back(index);
    }
    out.items.resize(items);
    base::parallelFor(int(items), items > 1 ? threads : 1, [&](int n) {
        const std::size_t i = std::size_t(n);
        const auto itemStart = std::chrono::steady_clock::now();
        ItemResult& item = out.items[i];
        item.number = n + 1;
        std::map<std::string, StepResultPtr> done;
        const bool surplus = prepared.itemDatum() >= 0 && perItem[i]->surplus;
        for (std::size_t wave = 0; wave < waves.size() && !stop(); ++wave) {
            std::vector<int> jobs;
            for (const int index : waves[wave]) {
                const Step& s = recipe.steps[std::size_t(index)];
                StepResultPtr r;
                if (index == prepared.itemDatum()) r = perItem[i];
                else if (const auto it = shared.find(s.id); it != shared.end()) r = it->second;
                else if (surplus) r = notInspected(prepared, s, *perItem[i]);
                else r = earlier(i, s);
                if (r) done[s.id] = r, item.steps.push_back(r);
                else jobs.push_back(index);
            }
            std::vector<StepResultPtr> results(jobs.size());
            base::parallelFor(int(jobs.size()), items > 1 ? 1 : threads, [&](int k) {
                if (stop()) return;
                const Step& s = recipe.steps[std::size_t(jobs[std::size_t(k)])];
                results[std::size_t(k)] = runStep(prepared, s, capture, item, prepared.fingerprint(s.id));
            });
            if (stop()) return;
            for (const StepResultPtr& r : results) done[r->step] = r, item.steps.push_back(r);
        }
        if (stop()) return;
        // In the recipe's order, as the person sees it.
        item.steps.clear();
        for (const Step& s : recipe.steps) item.steps.push_back(done.at(s.id));
        if (prepared.itemDatum() >= 0 && perItem[i]->state == State::Ok && !perItem[i]->finds.empty())
            item.pose = perItem[i]->finds.front().pose;
        item.milliseconds = since(itemStart);
    });
    if (stopped) {
        out.items.clear();
        out.cancelled = true;
        return out;
    }
    judge(recipe, out);
    // A target among the parts is looked for only where something went wrong: a good part is none.
    const bool wrong = std::any_of(out.items.begin(), out.items.end(), [](const ItemResult& item) {
        return std::any_of(item.steps.begin(), item.steps.end(),
                           [](const StepResultPtr& r) { return r->state == State::Failed; });
    });
    if (auto warning = pictureWarning(recipe.calibration, capture, wrong); !warning.empty())
        out.warnings.push_back(std::move(warning));
    out.milliseconds = since(start);
    return out;
}

base::Result<Evidence> evidence(const Prepared& prepared, const image::Capture& capture, const ItemResult& item,
                                const std::string& id)
{
    const Step* s = prepared.recipe().find(id);
    const StepKind* kind = s ? findKind(s->kind) : nullptr;
    if (!kind || !kind->evidence) return base::fail(base::ErrorCode::NotFound, "this step shows no plot");
    auto in = inputFor(prepared, *s, *kind, capture, item);
    if (!in) return base::passOn(in.error());
    return kind->evidence(s->params, *in);
}

} // namespace inspect
