#include "inspect/inspect.h"

#include "inspect/calibrating.h"
#include "inspect/evidence_of.h"
#include "inspect/lying_together.h"
#include "inspect/spreading.h"

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
// What a step learns from beside the reference; 0: nothing.
std::uint64_t samplesMark(const Recipe& recipe, const Step& step)
{
    std::uint64_t mark = 0;
    for (const LearnedSample& s : recipe.samples) {
        mark = joined(mark, s.picture.fingerprint);
        for (const auto& b : s.bare)
            mark = base::fingerprint(b.step == step.id ? b.place : std::string("elsewhere"), mark);
    }
    return mark;
}
constexpr std::size_t kMostSurplus = 100; // items; more are counted only
// Of a kind that only gives lists: the elements that have a place, one row each.
ObjectTable ofLists(const StepKind& kind, const RunOutput& out)
{
    ObjectTable table;
    std::vector<Point> places;
    if (const auto at = out.points.find("elements"); at != out.points.end()) places = at->second;
    if (places.empty()) return table;
    for (std::size_t i = 0; i < places.size(); ++i) {
        ObjectTable::Row row;
        row.at = places[i], row.number = int(i) + 1;
        table.rows.push_back(std::move(row));
    }
    for (const OutputSpec& spec : kind.outputs) {
        const auto v = out.values.find(spec.key);
        if (!spec.list || v == out.values.end() || v->second.size() != places.size()) continue;
        table.columns.push_back({spec.key, {}, {}});
        for (std::size_t i = 0; i < places.size(); ++i) table.rows[i].values.push_back(v->second[i]);
    }
    return table;
}

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
        if (!said && !spec.needed) continue;
        if (!said && &spec != &kind.pictures.front())
            return base::fail(base::ErrorCode::NotFound, "input missing: it has not been said which picture is " +
                                                             bothNames(spec.label, spec.key));
        const std::string key = said ? it->second : std::string();
        const image::Picture* found = capture.find(key);
        // Of grey beside heights each kind of step finds its own by itself.
        if (!said)
            for (const image::Picture& p : capture.pictures())
                if (spec.height == (p.content == image::Content::Height)) {
                    found = &p;
                    break;
                }
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
        if (kind && kind->byDrawing) mark = joined(mark, recipe.drawing.fingerprint);
        const std::uint64_t learned = kind && kind->bySamples ? samplesMark(recipe, s) : 0;
        if (learned) mark = joined(mark, learned);
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
        if (kind->byDrawing) t.fingerprint = joined(joined(t.fingerprint, recipe.drawing.fingerprint), calibrated);
        if (recipe.calibration.bends()) t.fingerprint = joined(t.fingerprint, calibrated);
        if (!recipe.empty.empty()) t.fingerprint = joined(t.fingerprint, recipe.empty.fingerprint);
        if (named) t.fingerprint = joined(t.fingerprint, named);
        // Samples are laid by the datum, and by all it reads.
        if (learned) t.fingerprint = joined(t.fingerprint, mark);
        if (const Taught* old = before ? before->taught(s.id) : nullptr; old && old->fingerprint == t.fingerprint)
            t = *old;
        else if (kind->taughtOnReference() && recipe.reference.empty())
            t.reason = "not taught: the recipe has no reference";
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
    // Without a reference picture places are those of the drawing laid level.
    if (p.m_recipe.reference.empty())
        for (const Step& s : p.m_recipe.steps)
            if (const StepKind* kind = findKind(s.kind); kind && kind->datum && kind->byDrawing)
                p.m_recipe.datumPoses[s.id] = {};
    if (!needed.empty() && same) p.m_recipe.datumPoses = before->recipe().datumPoses;
    p.m_posesMissing = !needed.empty() && !same;
    return p;
}

void Prepared::finish()
{
    const auto learns = [&](int i) { return findKind(m_recipe.steps[std::size_t(i)].kind)->bySamples; };
    for (const int i : m_untaught)
        if (!learns(i)) teach(i);
    if (m_posesMissing) findDatumPoses();
    m_posesMissing = false;
    // Samples are laid by datums, which have been taught by now.
    for (const int i : m_untaught)
        if (learns(i)) teach(i);
    m_untaught.clear();
}

// The datum a step follows and all that it reads, run on each sample.
std::vector<ItemResult> Prepared::onSamples(const Step& step) const
{
    std::set<std::string> needed{step.datum};
    for (auto it = m_order.rbegin(); it != m_order.rend(); ++it)
        if (const Step& s = m_recipe.steps[std::size_t(*it)]; needed.count(s.id))
            for (const std::string& id : Recipe::reads(s)) needed.insert(id);
    std::vector<ItemResult> out(m_recipe.samples.size());
    base::parallelFor(int(out.size()), 0, [&](int k) {
        const auto& capture = m_recipe.samples[std::size_t(k)].picture.capture;
        if (!capture || step.datum.empty()) return;
        for (const int i : m_order)
            if (const Step& s = m_recipe.steps[std::size_t(i)]; needed.count(s.id))
                out[std::size_t(k)].steps.push_back(runStep(*this, s, *capture, out[std::size_t(k)], 0));
    });
    return out;
}

void Prepared::addSamples(const Step& step, TeachInput& in, std::string& note) const
{
    for (const Place& p : step.places) in.places.push_back(p);
    if (const auto pose = referencePose(m_recipe, step.datum); pose && !step.datum.empty()) in.frame = *pose;
    const auto items = onSamples(step);
    for (std::size_t i = 0; i < items.size(); ++i) {
        const LearnedSample& s = m_recipe.samples[i];
        if (!s.picture.capture) continue;
        const auto here = Placing(m_recipe, &items[i]).following(step.datum);
        if (!here) {
            note += (note.empty() ? "" : "; ") + ("sample " + std::to_string(i + 1)) +
                    " is not learned from: the datum was not found on it";
            continue;
        }
        SampleInput one{s.picture.capture.get(), here->motion(), {}};
        for (const auto& b : s.bare)
            if (b.step == step.id) one.bare.push_back(b.place);
        // Of places of another step it is no good part either.
        if (one.bare.empty() && !s.bare.empty()) continue;
        in.learnedFrom.push_back(std::move(one));
    }
}

void Prepared::teach(int step)
{
    const Step& s = m_recipe.steps[std::size_t(step)];
    const StepKind& kind = *findKind(s.kind);
    Taught& t = m_taught.at(s.id);
    const bool onReference = kind.taughtOnReference();
    static const image::Capture none;
    const image::Capture& reference = onReference ? *m_recipe.reference.capture : none;
    TeachInput in{reference, s.regions, s.points, s.leaveOut, s.samples, &m_recipe.calibration};
    if (!m_recipe.empty.empty()) in.empty = m_recipe.empty.capture.get();
    in.drawing = m_recipe.drawing.outline.get();
    if (onReference) {
        auto pictures = picturesFor(s, kind, reference);
        if (!pictures) {
            t.reason = "not taught: " + pictures.error().message;
            return;
        }
        in.pictures = std::move(*pictures);
    } else if (!in.drawing) {
        t.reason = m_recipe.drawing.empty() ? "not taught: the recipe has no drawing"
                                            : "not taught: " + m_recipe.drawing.noOutline;
        return;
    }
    if (kind.bySamples) addSamples(s, in, t.note);
    auto model = kind.teach(s.params, in);
    if (!model) {
        t.reason = "not taught: " + model.error().text();
        return;
    }
    t.model = std::make_shared<const std::any>(std::move(*model));
    if (const std::string own = kind.taughtNote ? kind.taughtNote(s.params, *t.model) : std::string(); !own.empty())
        t.note += (t.note.empty() ? "" : "; ") + own;
}

// Datums that are found by other steps (two holes, a corner, a blob), and what those read.
std::set<std::string> Prepared::neededForPoses() const
{
    std::set<std::string> needed;
    if (m_recipe.reference.empty()) return needed;
    for (auto it = m_order.rbegin(); it != m_order.rend(); ++it) {
        const Step& s = m_recipe.steps[std::size_t(*it)];
        const StepKind* kind = findKind(s.kind);
        if (kind && kind->datum && !kind->taughtOnReference()) needed.insert(s.id);
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
        if (kind && kind->datum && !kind->taughtOnReference() && r->state == State::Ok && !r->finds.empty())
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

namespace
{
// The missing tile under a region; empty: none.
std::string missingUnder(const image::Joined& joined, const Region& region)
{
    const auto outlines = region.outlines();
    if (outlines.empty()) return joined.missing().front(); // the whole picture
    Point low{1e18, 1e18}, high{-1e18, -1e18};
    for (const auto& outline : outlines)
        for (const Point p : outline)
            low = {std::min(low.x, p.x), std::min(low.y, p.y)}, high = {std::max(high.x, p.x), std::max(high.y, p.y)};
    return joined.holeIn(low.x, low.y, high.x, high.y);
}
// The missing tile a step would look at; empty: none. Datums look for parts wherever there is something to see.
std::string missingTile(const StepKind& kind, const RunInput& in)
{
    if (kind.datum) return {};
    for (const auto& [key, picture] : in.pictures) {
        if (!picture->joined || picture->joined->missing().empty()) continue;
        for (const RegionSpec& spec : kind.regions)
            if (!spec.teaching)
                if (std::string tile = missingUnder(*picture->joined, in.region(spec.key)); !tile.empty()) return tile;
        for (const Place& p : in.places)
            if (p.outline)
                if (std::string tile = missingUnder(*picture->joined, *p.outline); !tile.empty()) return tile;
    }
    return {};
}

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
    if (kind.byDrawing) {
        in.drawing = recipe.drawing.outline.get();
        if (!in.drawing) return notRun(recipe.drawing.empty() ? "the recipe has no drawing" : recipe.drawing.noOutline);
        if (!recipe.calibrated())
            return notRun("a drawing is in mm and the picture in px: a calibration must say how large a px is");
    }
    const Placing placing(recipe, &item);
    const auto here = placing.following(step.datum);
    if (!step.datum.empty()) {
        const Step* datum = recipe.find(step.datum);
        if (!datum) return notRun("input missing: the datum it follows is not in the recipe");
        if (const StepKind* k = findKind(datum->kind); !k || !k->datum)
            return notRun("input missing: \"" + datum->name + "\" is no datum");
        const StepResult* found = item.step(step.datum);
        if (!here && found && found->state == State::Ok && !referencePose(recipe, step.datum))
            return notRun("datum " + datum->letter + " \"" + datum->name +
                          "\" was not found on the reference, so nothing can follow it");
        if (!here) {
            return notRun("datum " + datum->letter + " \"" + datum->name + "\" was not found" +
                          (found && !found->reason.empty() ? " (" + found->reason + ")" : ""));
        }
        in.onDrawing = findKind(datum->kind)->byDrawing;
        in.motion = here->motion();
        in.frame = in.motion.now;
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
            const auto region = placing.resultAsRegion(*r, spec, of->second.grow, in.frame);
            if (!region)
                return notRun("the result of \"" + from->name + "\" gives no region for " +
                              bothNames(spec.label, spec.key));
            if (auto ok = region->check(); !ok)
                return notRun("the result of \"" + from->name + "\" as region: " + ok.error().message);
            in.regions[spec.key] = *region;
            continue;
        }
        const auto it = step.regions.find(spec.key);
        if (it == step.regions.end()) {
            if (spec.needed && !spec.teaching)
                return notRun("the region " + bothNames(spec.label, spec.key) + " has not been drawn");
            continue;
        }
        in.regions[spec.key] = spec.follows && !spec.teaching ? here->toPicture(it->second) : it->second;
    }
    for (const auto& [key, p] : step.points) in.points[key] = in.motion.carry(in.level(p));
    for (const Region& r : step.leaveOut) in.leaveOut.push_back(here->toPicture(r));
    in.filters = step.filters;
    for (const Place& p : step.places) {
        Place one = p;
        one.at = in.motion.carry(in.level(p.at));
        if (p.outline) one.outline = here->toPicture(*p.outline);
        in.places.push_back(std::move(one));
    }
    if (std::string tile = missingTile(kind, in); !tile.empty())
        return notRun("tile " + tile + " is missing, and it would be looked at there");
    in.kinds = step.kinds;
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
    spreadOut(prepared.recipe(), step, *kind, *in, item, *out);
    if (in->bends()) intoPicture(*kind, *in, *out);
    const double factor = prepared.recipe().mmPerPixel();
    if (out->objects.columns.empty()) out->objects = ofLists(*kind, *out);
    else
        for (std::size_t c = 0; c < out->objects.columns.size(); ++c)
            if (const OutputSpec* spec = kind->output(out->objects.columns[c].key); spec && spec->list)
                out->values[spec->key] = out->objects.list(int(c));
    for (const OutputSpec& spec : kind->outputs) {
        const auto it = out->values.find(spec.key);
        if (it == out->values.end()) continue;
        OutputValue v{spec.key, prepared.recipe().unitOf(step, spec), spec.list, std::move(it->second)};
        if (spec.calibrates && spec.unitParam.empty() && factor > 0)
            for (double& x : v.values) x *= base::calibrationFactor(spec.unit, factor);
        if (spec.calibrates && spec.unitParam.empty() && factor > 0)
            for (auto* finds : {&out->finds, &out->surplus})
                for (Find& f : *finds)
                    if (const auto own = f.values.find(spec.key); own != f.values.end())
                        own->second *= base::calibrationFactor(spec.unit, factor);
        if (const auto s = out->spreads.find(spec.key);
            s != out->spreads.end() && s->second.size() == v.values.size()) {
            const bool turned = spec.calibrates && spec.unitParam.empty();
            r->spreads[spec.key] =
                turned ? inUnits(s->second, v.values, spec.unit, factor, prepared.recipe().calibration.scaleSpread())
                       : std::move(s->second);
        }
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
    r->featureSpreads = std::move(out->featureSpreads);
    r->marks = std::move(out->marks);
    r->finds = std::move(out->finds);
    r->surplusFinds = std::move(out->surplus);
    // What is made of a list that is cut off is cut off too.
    r->unlisted = out->unlisted;
    for (const auto& [key, id] : step.inputs)
        if (const StepResult* from = item.step(id)) r->unlisted = std::max(r->unlisted, from->unlisted);
    r->points = std::move(out->points);
    r->elementNames = std::move(out->elementNames);
    r->says = std::move(out->elementSays);
    r->objects = std::move(out->objects);
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
    if (one->surplus && f.rejected) one->reason = f.note;
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
    for (const auto& [name, value] : f.values) put(name, value);
    if (!f.note.empty()) one->note += (one->note.empty() ? "" : "; ") + f.note;
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

// One picture through one recipe: what all items share, the items, and every item's steps in waves.
class Evaluation
{
public:
    Evaluation(const Prepared& prepared, const image::Capture& capture, const PictureResult* before,
               const std::atomic<bool>* cancel, int threads)
        : m_prepared(prepared), m_recipe(prepared.recipe()), m_capture(capture), m_before(before), m_cancel(cancel),
          m_threads(threads)
    {
    }
    PictureResult result()
    {
        PictureResult out;
        out.picture = m_capture.id();
        // Half a capture is none, even where every step would find its picture.
        for (const image::PictureName& n : m_recipe.picturesTaken())
            if (!n.idle && !m_capture.find(n.key)) {
                out.error = "the capture holds no picture \"" + n.key + "\", which the recipe names; there is " +
                            m_capture.keys();
                return out;
            }
        whatTheDatumReads();
        findItems();
        const std::size_t items = std::max<std::size_t>(1, m_perItem.size());
        m_several = items > 1;
        if (m_several) whatStandsStill();
        layWaves();
        // Finding the items is a part of each item's time.
        const double common = since(m_start) / double(items);
        out.items.resize(items);
        base::parallelFor(int(items), m_several ? m_threads : 1, [&](int n) {
            const auto start = std::chrono::steady_clock::now();
            inspectItem(n, out.items[std::size_t(n)]);
            out.items[std::size_t(n)].milliseconds = common + since(start);
        });
        if (m_stopped) {
            out.items.clear();
            out.cancelled = true;
            return out;
        }
        judge(m_recipe, out);
        // A target among the parts is looked for only where something went wrong: a good part is none.
        const bool wrong = std::any_of(out.items.begin(), out.items.end(), [](const ItemResult& item) {
            return std::any_of(item.steps.begin(), item.steps.end(),
                               [](const StepResultPtr& r) { return r->state == State::Failed; });
        });
        if (auto warning = pictureWarning(m_recipe.calibration, m_capture, wrong); !warning.empty())
            out.warnings.push_back(std::move(warning));
        for (std::string& warning : captureWarnings(m_capture)) out.warnings.push_back(std::move(warning));
        if (const auto& reference = m_recipe.reference.capture)
            if (auto other = otherThanReference(*reference, m_capture); !other.empty())
                out.warnings.push_back(std::move(other));
        out.milliseconds = since(m_start);
        return out;
    }

private:
    const Step& step(int index) const { return m_recipe.steps[std::size_t(index)]; }
    StepResultPtr run(const Step& s, const ItemResult& item) const
    {
        return runStep(m_prepared, s, m_capture, item, m_prepared.fingerprint(s.id));
    }
    // What an earlier evaluation said of it, when nothing it depends on has changed.
    StepResultPtr earlier(std::size_t item, const Step& s) const
    {
        if (!m_before || item >= m_before->items.size()) return nullptr;
        for (const auto& r : m_before->items[item].steps)
            if (r->step == s.id && r->fingerprint == m_prepared.fingerprint(s.id)) return r;
        return nullptr;
    }
    bool stop()
    {
        if (m_cancel && m_cancel->load(std::memory_order_relaxed)) m_stopped = true;
        return m_stopped.load(std::memory_order_relaxed);
    }
    // The same for all items.
    void whatTheDatumReads()
    {
        for (const int index : m_prepared.beforeItems()) {
            const Step& s = step(index);
            StepResultPtr r = earlier(0, s);
            if (!r) r = run(s, m_common);
            m_shared[s.id] = r;
            m_common.steps.push_back(r);
        }
    }
    // The item datum is searched once; each of its finds is an item.
    void findItems()
    {
        if (m_prepared.itemDatum() < 0) return;
        const Step& s = step(m_prepared.itemDatum());
        if (earlier(0, s)) {
            for (std::size_t i = 0; i < m_before->items.size(); ++i)
                if (auto r = earlier(i, s)) m_perItem.push_back(r);
            return;
        }
        const StepResultPtr all = run(s, m_common);
        const int expected = expectedFinds(s);
        if (all->state == State::Ok && (all->finds.size() > 1 || expected > 1 || !all->surplusFinds.empty())) {
            for (std::size_t i = 0; i < all->finds.size(); ++i) m_perItem.push_back(oneFind(m_recipe, *all, i));
            for (int i = int(all->finds.size()); i < expected; ++i)
                m_perItem.push_back(lostFind(*all, int(all->finds.size()), expected));
            const std::size_t every = all->finds.size() + std::min<std::size_t>(all->surplusFinds.size(), kMostSurplus);
            for (std::size_t i = all->finds.size(); i < every; ++i) m_perItem.push_back(oneFind(m_recipe, *all, i));
        } else if (all->state == State::Failed && expected > 1) {
            for (int i = 0; i < expected; ++i) m_perItem.push_back(all);
        } else {
            m_perItem.push_back(all);
        }
    }
    // Steps that stand still and read nothing: once for all items.
    void whatStandsStill()
    {
        for (const int index : m_prepared.order()) {
            const Step& s = step(index);
            if (index == m_prepared.itemDatum() || m_shared.count(s.id) || !Recipe::reads(s).empty() || stop())
                continue;
            StepResultPtr r = earlier(0, s);
            m_shared[s.id] = r ? r : run(s, m_common);
        }
    }
    // Waves of steps that do not read each other; with several items each item is a job of its own.
    void layWaves()
    {
        std::map<std::string, int> depth;
        for (const int index : m_prepared.order()) {
            const Step& s = step(index);
            int d = 0;
            for (const std::string& id : Recipe::reads(s))
                if (const auto it = depth.find(id); it != depth.end()) d = std::max(d, it->second + 1);
            depth[s.id] = d;
            m_waves.resize(std::max(m_waves.size(), std::size_t(d) + 1));
            m_waves[std::size_t(d)].push_back(index);
        }
    }
    void inspectItem(int n, ItemResult& item)
    {
        const std::size_t i = std::size_t(n);
        item.number = n + 1;
        std::map<std::string, StepResultPtr> done;
        const bool surplus = m_prepared.itemDatum() >= 0 && m_perItem[i]->surplus;
        for (std::size_t wave = 0; wave < m_waves.size() && !stop(); ++wave) {
            std::vector<int> jobs;
            for (const int index : m_waves[wave]) {
                const Step& s = step(index);
                StepResultPtr r;
                if (index == m_prepared.itemDatum()) r = m_perItem[i];
                else if (const auto it = m_shared.find(s.id); it != m_shared.end()) r = it->second;
                else if (surplus) r = notInspected(m_prepared, s, *m_perItem[i]);
                else r = earlier(i, s);
                if (r) done[s.id] = r, item.steps.push_back(r);
                else jobs.push_back(index);
            }
            std::vector<StepResultPtr> results(jobs.size());
            base::parallelFor(int(jobs.size()), m_several ? 1 : m_threads, [&](int k) {
                if (!stop()) results[std::size_t(k)] = run(step(jobs[std::size_t(k)]), item);
            });
            if (stop()) return;
            for (const StepResultPtr& r : results) done[r->step] = r, item.steps.push_back(r);
        }
        if (stop()) return;
        // In the recipe's order, as the person sees it.
        item.steps.clear();
        for (const Step& s : m_recipe.steps) item.steps.push_back(done.at(s.id));
        if (m_prepared.itemDatum() >= 0 && m_perItem[i]->state == State::Ok && !m_perItem[i]->finds.empty())
            item.pose = m_perItem[i]->finds.front().pose;
    }

    const std::chrono::steady_clock::time_point m_start = std::chrono::steady_clock::now();
    const Prepared& m_prepared;
    const Recipe& m_recipe;
    const image::Capture& m_capture;
    const PictureResult* m_before;
    const std::atomic<bool>* m_cancel;
    const int m_threads;
    bool m_several = false;
    std::atomic<bool> m_stopped{false};
    ItemResult m_common;                           // what all items share, before there are any
    std::map<std::string, StepResultPtr> m_shared; // by step
    std::vector<StepResultPtr> m_perItem;          // the item datum's answer for each
    std::vector<std::vector<int>> m_waves;
};
} // namespace

PictureResult evaluate(const Prepared& prepared, const image::Capture& capture, const PictureResult* before,
                       const std::atomic<bool>* cancel, int threads)
{
    return Evaluation(prepared, capture, before, cancel, threads).result();
}

namespace
{
// Columns are named as the outputs are.
void label(ObjectTable& table, const StepKind& kind)
{
    for (auto& column : table.columns)
        if (const OutputSpec* spec = kind.output(column.key); spec && column.label.empty())
            column.label = spec->label, column.unit = spec->unit;
}
} // namespace

base::Result<Evidence> evidence(const Prepared& prepared, const image::Capture& capture, const ItemResult& item,
                                const std::string& id)
{
    return evidenceOf(prepared, capture, item, id, -1);
}
base::Result<Evidence> evidenceOf(const Prepared& prepared, const image::Capture& capture, const ItemResult& item,
                                  const std::string& id, int element)
{
    const Step* s = prepared.recipe().find(id);
    const StepKind* kind = s ? findKind(s->kind) : nullptr;
    if (!kind || !kind->evidence) return base::fail(base::ErrorCode::NotFound, "this step shows no plot");
    auto in = inputFor(prepared, *s, *kind, capture, item);
    if (!in) return base::passOn(in.error());
    in->chosen = element + 1;
    return kind->evidence(s->params, *in);
}

bool tellsOfObjects(const StepKind& kind)
{
    return kind.tell ||
           std::any_of(kind.outputs.begin(), kind.outputs.end(), [](const OutputSpec& o) { return o.list; });
}

base::Result<ObjectTable> told(const Prepared& prepared, const image::Capture& capture, const ItemResult& item,
                               const std::string& id)
{
    const Step* s = prepared.recipe().find(id);
    const StepKind* kind = s ? findKind(s->kind) : nullptr;
    if (!kind || !tellsOfObjects(*kind))
        return base::fail(base::ErrorCode::NotFound, "this step looks at nothing one by one");
    if (!kind->tell) {
        const StepResult* r = item.step(id);
        if (!r || r->state != State::Ok)
            return base::fail(base::ErrorCode::NoResult, r ? r->reason : "the step has no answer yet");
        ObjectTable table = r->objects;
        label(table, *kind);
        return table;
    }
    auto in = inputFor(prepared, *s, *kind, capture, item);
    if (!in) return base::passOn(in.error());
    auto table = kind->tell(s->params, *in);
    if (table) label(*table, *kind);
    return table;
}

} // namespace inspect
