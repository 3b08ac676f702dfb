#include "inspect/inspect.h"

#include "base/files.h"
#include "recipe/recipe_file.h"

#include <chrono>
#include <nlohmann/json.hpp>

namespace inspect
{
using namespace recipe;
using geometry::Motion;
using geometry::Point;
using geometry::Pose;
using geometry::Region;

namespace
{
// What a step's own result depends on.
std::uint64_t ownFingerprint(const Step& s)
{
    nlohmann::json j = stepToJson(s);
    for (const char* key : {"name", "checks", "letter"}) j.erase(key);
    return base::fingerprint(j.dump());
}
std::uint64_t joined(std::uint64_t a, std::uint64_t b) { return base::fingerprint(std::to_string(b), a); }
double since(std::chrono::steady_clock::time_point start)
{
    return std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - start).count();
}
} // namespace

base::Result<Prepared> Prepared::make(Recipe recipe, const Prepared* before)
{
    Prepared p;
    auto order = orderByDependence(recipe.steps);
    if (!order) return base::passOn(order.error());
    p.m_order = std::move(*order);
    for (const int i : p.m_order) {
        const Step& s = recipe.steps[std::size_t(i)];
        const StepKind* kind = findKind(s.kind);
        std::uint64_t mark = ownFingerprint(s);
        if (kind && kind->teach) mark = joined(mark, recipe.reference.fingerprint);
        for (const std::string& id : Recipe::reads(s)) {
            const auto it = p.m_fingerprints.find(id);
            mark = joined(mark, it == p.m_fingerprints.end() ? 0 : it->second);
        }
        mark = joined(mark, base::fingerprint(base::shortest(recipe.mmPerPixel)));
        p.m_fingerprints[s.id] = mark;
        if (p.m_itemDatum < 0 && kind && kind->datum && s.inUse && s.datum.empty()) p.m_itemDatum = i;
        if (!kind || !kind->teach) continue;
        const Taught* old = before ? before->taught(s.id) : nullptr;
        Taught t;
        t.fingerprint = joined(ownFingerprint(s), recipe.reference.fingerprint);
        if (old && old->fingerprint == t.fingerprint) {
            t = *old;
        } else if (recipe.reference.empty()) {
            t.reason = "not taught: the recipe has no reference";
        } else {
            auto model = kind->teach(s.params, {*recipe.reference.capture, s.regions, s.points});
            if (model) {
                t.model = std::make_shared<const std::any>(std::move(*model));
                if (kind->taughtNote) t.note = kind->taughtNote(s.params, *t.model);
            } else {
                t.reason = "not taught: " + model.error().text();
            }
        }
        p.m_taught[s.id] = std::move(t);
    }
    p.m_recipe = std::move(recipe);
    return p;
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
    Pose pose;
    const auto origin = s->points.find("origin");
    if (origin != s->points.end()) pose.origin = origin->second;
    else if (!kind->regions.empty() && s->regions.count(kind->regions.front().key)) pose.origin = s->regions.at(kind->regions.front().key).middle();
    if (const ParamSpec* direction = kind->param("direction")) pose.angle = geometry::radians(std::get<double>(direction->get(s->params)));
    return pose;
}

std::optional<Motion> motionOf(const Recipe& recipe, const std::string& datum, const ItemResult* item)
{
    if (datum.empty()) return Motion{};
    const auto reference = referencePose(recipe, datum);
    const StepResult* found = item ? item->step(datum) : nullptr;
    if (!reference || !found || found->state != State::Ok || found->finds.empty()) return std::nullopt;
    return Motion{*reference, found->finds.front().pose};
}

std::map<std::string, Region> regionsInPicture(const Recipe& recipe, const Step& step, const ItemResult& item, bool& placed)
{
    std::map<std::string, Region> out;
    const auto motion = motionOf(recipe, step.datum, &item);
    placed = motion.has_value();
    const StepKind* kind = findKind(step.kind);
    if (!motion || !kind) return out;
    for (const auto& [key, r] : step.regions) {
        const RegionSpec* spec = kind->region(key);
        if (spec && spec->teaching) continue; // belongs to the reference
        out[key] = spec && spec->follows ? r.carried(*motion) : r;
    }
    return out;
}

namespace
{
// Gathers what a step reads; fails with the reason it cannot run.
base::Result<RunInput> inputFor(const Prepared& prepared, const Step& step, const StepKind& kind, const image::Capture& capture,
                                const ItemResult& item)
{
    const auto notRun = [](const std::string& why) { return base::fail(base::ErrorCode::NotFound, why); };
    const Recipe& recipe = prepared.recipe();
    RunInput in{capture, {}, {}, {}, {}, {}, nullptr};
    if (!step.datum.empty()) {
        const Step* datum = recipe.find(step.datum);
        if (!datum) return notRun("input missing: the datum it follows is not in the recipe");
        const auto motion = motionOf(recipe, step.datum, &item);
        if (!motion) {
            const StepResult* found = item.step(step.datum);
            return notRun("datum " + datum->letter + " \"" + datum->name + "\" was not found" +
                          (found && !found->reason.empty() ? " (" + found->reason + ")" : ""));
        }
        in.motion = *motion;
        in.frame = motion->now;
    }
    for (const RegionSpec& spec : kind.regions) {
        const auto it = step.regions.find(spec.key);
        if (it == step.regions.end()) {
            if (spec.needed && !spec.teaching) return notRun("the region \"" + spec.label + "\" has not been drawn");
            continue;
        }
        in.regions[spec.key] = spec.follows && !spec.teaching ? it->second.carried(in.motion) : it->second;
    }
    for (const auto& [key, p] : step.points) in.points[key] = in.motion.carry(p);
    for (const InputSpec& spec : kind.inputs) {
        const auto it = step.inputs.find(spec.key);
        const Step* from = it == step.inputs.end() ? nullptr : recipe.find(it->second);
        if (!from) return notRun("input missing: \"" + spec.label + "\" names no step of the recipe");
        const StepResult* r = item.step(from->id);
        if (!r || r->state != State::Ok)
            return notRun("\"" + from->name + "\" was not found" + (r && !r->reason.empty() ? " (" + r->reason + ")" : ""));
        if (r->features.empty()) return notRun("\"" + from->name + "\" gives no feature to measure from");
        const Feature& f = r->features.begin()->second;
        if (std::find(spec.accepts.begin(), spec.accepts.end(), typeOf(f)) == spec.accepts.end())
            return notRun("\"" + spec.label + "\" does not take a " + std::string(recipe::name(typeOf(f))) + " (\"" + from->name + "\")");
        in.inputs.emplace(spec.key, f);
    }
    if (const Taught* t = prepared.taught(step.id)) {
        if (!t->model) return notRun(t->reason);
        in.taught = t->model.get();
    }
    return in;
}

StepResultPtr runStep(const Prepared& prepared, const Step& step, const image::Capture& capture, const ItemResult& item, std::uint64_t fingerprint)
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
        r->reason = out.error().text();
        r->milliseconds = since(start);
        return r;
    }
    r->state = State::Ok;
    const double factor = prepared.recipe().mmPerPixel;
    for (const OutputSpec& spec : kind->outputs) {
        const auto it = out->values.find(spec.key);
        if (it == out->values.end()) continue;
        OutputValue v{spec.key, prepared.recipe().unitOf(spec), spec.list, std::move(it->second)};
        if (spec.calibrates && factor > 0)
            for (double& x : v.values) x *= base::calibrationFactor(spec.unit, factor);
        r->outputs.push_back(std::move(v));
    }
    r->features = std::move(out->features);
    r->marks = std::move(out->marks);
    r->finds = std::move(out->finds);
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

PictureResult evaluate(const Prepared& prepared, const image::Capture& capture, const PictureResult* before, const std::atomic<bool>* cancel)
{
    const auto start = std::chrono::steady_clock::now();
    const Recipe& recipe = prepared.recipe();
    PictureResult out;
    out.picture = capture.id;
    const auto earlier = [&](std::size_t item, const Step& s) -> StepResultPtr {
        if (!before || item >= before->items.size()) return nullptr;
        for (const auto& r : before->items[item].steps)
            if (r->step == s.id && r->fingerprint == prepared.fingerprint(s.id)) return r;
        return nullptr;
    };
    // The item datum is searched once; each of its finds is an item.
    std::vector<StepResultPtr> perItem;
    if (prepared.itemDatum() >= 0) {
        const Step& s = recipe.steps[std::size_t(prepared.itemDatum())];
        StepResultPtr old = earlier(0, s);
        if (old) {
            for (std::size_t i = 0; i < before->items.size(); ++i)
                if (auto r = earlier(i, s)) perItem.push_back(r);
        } else {
            const StepResultPtr all = runStep(prepared, s, capture, {}, prepared.fingerprint(s.id));
            if (all->state == State::Ok && all->finds.size() > 1) {
                for (std::size_t i = 0; i < all->finds.size(); ++i) {
                    auto one = std::make_shared<StepResult>(*all);
                    one->finds = {all->finds[i]};
                    for (OutputValue& v : one->outputs) {
                        const Find& f = all->finds[i];
                        if (v.name == "x") v.values = {f.pose.origin.x};
                        if (v.name == "y") v.values = {f.pose.origin.y};
                        if (v.name == "angle") v.values = {geometry::degrees(f.pose.angle)};
                        if (v.name == "score") v.values = {f.score};
                    }
                    for (Mark& m : one->marks)
                        for (Point& p : m.points) p = Motion{all->finds[0].pose, all->finds[i].pose}.carry(p);
                    perItem.push_back(one);
                }
            } else {
                perItem.push_back(all);
            }
        }
    }
    const std::size_t items = std::max<std::size_t>(1, perItem.size());
    std::map<std::string, StepResultPtr> shared; // steps that stand still are the same for all items
    for (std::size_t i = 0; i < items; ++i) {
        const auto itemStart = std::chrono::steady_clock::now();
        ItemResult item;
        item.number = int(i) + 1;
        std::map<std::string, StepResultPtr> done;
        for (const int index : prepared.order()) {
            if (cancel && cancel->load(std::memory_order_relaxed)) {
                out.cancelled = true;
                return out;
            }
            const Step& s = recipe.steps[std::size_t(index)];
            StepResultPtr r;
            if (index == prepared.itemDatum()) {
                r = perItem[i];
            } else {
                r = earlier(i, s);
                if (!r && s.datum.empty() && s.inputs.empty()) {
                    auto& once = shared[s.id];
                    if (!once) once = runStep(prepared, s, capture, item, prepared.fingerprint(s.id));
                    r = once;
                }
                if (!r) r = runStep(prepared, s, capture, item, prepared.fingerprint(s.id));
            }
            item.steps.push_back(r);
            done[s.id] = r;
        }
        // In the recipe's order, as the person sees it.
        item.steps.clear();
        for (const Step& s : recipe.steps) item.steps.push_back(done.at(s.id));
        if (prepared.itemDatum() >= 0 && perItem[i]->state == State::Ok && !perItem[i]->finds.empty()) item.pose = perItem[i]->finds.front().pose;
        item.milliseconds = since(itemStart);
        out.items.push_back(std::move(item));
    }
    judge(recipe, out);
    out.milliseconds = since(start);
    return out;
}

CheckResult judgeCheck(const Recipe& recipe, const Step& step, const Check& check, const StepResult* result)
{
    CheckResult c;
    c.step = step.id, c.output = check.output, c.name = check.name, c.balloon = check.balloon;
    const StepKind* kind = findKind(step.kind);
    const OutputSpec* spec = kind ? kind->output(check.output) : nullptr;
    c.unit = spec ? recipe.unitOf(*spec) : base::Unit::None;
    c.list = spec && spec->list;
    c.nominal = check.limits.nominal, c.low = check.limits.lowest(), c.high = check.limits.highest();
    const OutputValue* v = result && result->state == State::Ok ? result->output(check.output) : nullptr;
    if (!v || (!v->list && v->values.empty())) {
        c.verdict = Verdict::NotMeasured;
        c.reason = !result ? "not run" : result->reason.empty() ? "no value" : result->reason;
        return c;
    }
    c.values = v->values;
    if (!check.limits.any()) return c;
    if (check.limits.unit != c.unit) {
        c.verdict = Verdict::NotMeasured;
        c.reason = std::string("limit is in ") + (check.limits.unit == base::Unit::None ? "no unit" : base::symbol(check.limits.unit)) +
                   ", the value in " + (c.unit == base::Unit::None ? "no unit" : base::symbol(c.unit));
        // What is in another unit is not shown beside the value.
        c.nominal.reset(), c.low.reset(), c.high.reset();
        return c;
    }
    c.verdict = Verdict::Pass;
    for (std::size_t i = 0; i < c.values.size(); ++i) {
        const double x = c.values[i];
        if (const auto share = check.limits.share(x); share && (!c.share || *share > *c.share)) c.share = share;
        if (check.limits.holds(x) || c.verdict == Verdict::Fail) continue;
        c.verdict = Verdict::Fail;
        const bool low = c.low && x < *c.low;
        c.reason = (c.list ? "no. " + std::to_string(i + 1) + " is " + base::toText(x, c.unit) + ", " : std::string()) +
                   (low ? "at least " + base::toText(*c.low, c.unit) : "at most " + base::toText(*c.high, c.unit));
    }
    return c;
}

void judge(const Recipe& recipe, PictureResult& result)
{
    for (ItemResult& item : result.items) {
        item.checks.clear();
        item.accept = true;
        item.reason.clear();
        for (const Step& s : recipe.steps) {
            if (!s.inUse) continue;
            const StepResult* r = item.step(s.id);
            if ((!r || r->state != State::Ok) && item.accept) {
                item.accept = false;
                item.reason = s.name + ": " + (r ? r->reason : std::string("not run"));
            }
            for (const Check& c : s.checks) item.checks.push_back(judgeCheck(recipe, s, c, r));
        }
        for (const CheckResult& c : item.checks)
            if (c.verdict == Verdict::Fail || c.verdict == Verdict::NotMeasured) item.accept = false;
    }
}

base::Result<Evidence> evidence(const Prepared& prepared, const image::Capture& capture, const ItemResult& item, const std::string& id)
{
    const Step* s = prepared.recipe().find(id);
    const StepKind* kind = s ? findKind(s->kind) : nullptr;
    if (!kind || !kind->evidence) return base::fail(base::ErrorCode::NotFound, "this step shows no plot");
    auto in = inputFor(prepared, *s, *kind, capture, item);
    if (!in) return base::passOn(in.error());
    return kind->evidence(s->params, *in);
}

} // namespace inspect
