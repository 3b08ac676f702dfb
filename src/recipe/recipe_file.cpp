#include "recipe/recipe_file.h"

#include "base/text.h"
#include "recipe/calibration_file.h"
#include "recipe/naming.h"

#include "recipe/drawing_file.h"
#include "recipe/recipe_json.h"
#include "recipe/robot.h"

#include <algorithm>
#include <filesystem>
#include <new>
#include <set>

namespace recipe
{
using base::ErrorCode;
using base::fail;
using geometry::Point;
using geometry::Region;
using geometry::Shape;
using nlohmann::json;
namespace fs = std::filesystem;

// ---------------------------------------------------------------- writing
namespace
{

json limitsJson(const Check& c)
{
    json j{{"output", c.output}, {"name", c.name}};
    if (c.balloon) j["balloon"] = c.balloon;
    const auto put = [](json& to, const Limits& l) {
        if (l.nominal) to["nominal"] = *l.nominal;
        if (l.hasTolerance) to["plus"] = l.plus, to["minus"] = l.minus;
        if (l.general != General::None) to["general"] = name(l.general);
        if (l.shorterSide > 0) to["shorter_side"] = l.shorterSide;
        if (l.low) to["low"] = *l.low;
        if (l.high) to["high"] = *l.high;
    };
    put(j, c.limits);
    if (c.limits.unit != base::Unit::None) j["unit"] = base::symbol(c.limits.unit);
    if (!c.fault.empty()) j["fault"] = c.fault;
    if (c.uncertainty) j["uncertainty"] = *c.uncertainty;
    if (c.match == Match::Place) j["match"] = "place";
    if (c.reach > 0) j["reach"] = c.reach;
    if (c.labelAt) j["label_at"] = pointJson(*c.labelAt);
    if (c.onScreen) j["on_screen"] = true;
    if (c.lowMay) j["low_may_be"] = json::array({c.lowMay->from, c.lowMay->to});
    if (c.highMay) j["high_may_be"] = json::array({c.highMay->from, c.highMay->to});
    for (const Element& e : c.elements) {
        json one = json::object();
        if (!e.name.empty()) one["name"] = e.name;
        if (e.at) one["at"] = pointJson(*e.at);
        if (e.own) put(one, *e.own);
        j["elements"].push_back(one);
    }
    return j;
}
} // namespace

json regionToJson(const Region& r)
{
    json j{{"shape", geometry::name(r.shape)}};
    switch (r.shape) {
    case Shape::Whole: break;
    case Shape::Window: j["from"] = pointJson(r.from), j["to"] = pointJson(r.to), j["width"] = r.width; break;
    case Shape::Rectangle:
        j["centre"] = pointJson(r.centre), j["size"] = json::array({r.width, r.height}),
        j["angle"] = geometry::degrees(r.angle);
        break;
    case Shape::Circle: j["centre"] = pointJson(r.centre), j["radius"] = r.outer; break;
    case Shape::Ring: j["centre"] = pointJson(r.centre), j["inner"] = r.inner, j["outer"] = r.outer; break;
    case Shape::Arc:
        j["centre"] = pointJson(r.centre), j["inner"] = r.inner, j["outer"] = r.outer;
        j["start"] = geometry::degrees(r.start), j["sweep"] = geometry::degrees(r.sweep);
        break;
    case Shape::Polyline: j["width"] = r.width; [[fallthrough]];
    case Shape::Polygon:
        j["points"] = json::array();
        for (const Point p : r.points) j["points"].push_back(pointJson(p));
        break;
    }
    return j;
}

json placeToJson(const Place& p)
{
    json one{{"name", p.name}, {"at", pointJson(p.at)}};
    if (p.outline) one["outline"] = regionToJson(*p.outline);
    if (p.marked) one["marked"] = true;
    if (!p.picture.empty()) one["picture"] = p.picture;
    return one;
}

json stepToJson(const Step& s)
{
    json j{{"id", s.id}, {"kind", s.kind}, {"name", s.name}};
    if (!s.datum.empty()) j["datum"] = s.datum;
    if (!s.letter.empty()) j["letter"] = s.letter;
    if (!s.inUse) j["in_use"] = false;
    if (const StepKind* k = findKind(s.kind)) j["version"] = k->version, j["params"] = k->paramsToJson(s.params);
    for (const auto& [key, r] : s.regions) j["regions"][key] = regionToJson(r);
    for (const auto& [key, of] : s.regionsOf) {
        j["regions"][key] = {{"shape", "result"}, {"of", of.step}};
        if (of.grow != 0) j["regions"][key]["grow"] = of.grow;
    }
    for (const Region& r : s.leaveOut) j["leave_out"].push_back(regionToJson(r));
    for (const Filter& f : s.filters) {
        json one{{"output", f.output}};
        if (f.low) one["low"] = *f.low;
        if (f.high) one["high"] = *f.high;
        j["filters"].push_back(one);
    }
    for (const Sample& x : s.samples) {
        json one;
        if (x.colour) one["colour"] = *x.colour;
        else one["at"] = pointJson(x.at);
        if (x.refused) one["not"] = true;
        j["samples"].push_back(one);
    }
    for (const Place& p : s.places) j["places"].push_back(placeToJson(p));
    for (const ObjectKind& k : s.kinds) {
        json one{{"name", k.name}};
        if (k.low) one["low"] = *k.low;
        if (k.high) one["high"] = *k.high;
        if (k.least) one["least_area"] = *k.least;
        if (k.most) one["most_area"] = *k.most;
        j["kinds"].push_back(std::move(one));
    }
    for (const auto& [key, p] : s.points) j["points"][key] = pointJson(p);
    for (const auto& [key, id] : s.inputs) j["inputs"][key] = id;
    for (const auto& [key, picture] : s.pictures) j["pictures"][key] = picture;
    j["checks"] = json::array();
    for (const Check& c : s.checks) j["checks"].push_back(limitsJson(c));
    return j;
}

json namingToJson(const image::Naming& naming)
{
    json list = json::array();
    for (const image::PictureName& n : naming) {
        json one{{"key", n.key}, {"file", n.file}};
        if (n.height) {
            one["height"] = {{"mm_per_step", n.height->mmPerStep}};
            if (n.height->offsetMm != 0) one["height"]["offset_mm"] = n.height->offsetMm;
            if (n.height->pixelMm > 0) one["height"]["pixel_mm"] = n.height->pixelMm;
            if (n.height->missing) one["height"]["missing"] = *n.height->missing;
            if (const auto& r = n.height->raster; r.width > 0) {
                one["height"]["left_mm"] = r.leftMm, one["height"]["top_mm"] = r.topMm;
                one["height"]["width"] = r.width, one["height"]["height"] = r.height;
            }
        }
        if (n.tiles) {
            json& t = one["tiles"] = {{"reach_px", n.tiles->reach}, {"by", n.tiles->byPicture ? "picture" : "plan"}};
            if (!n.tiles->evenLight) t["even_light"] = false;
            for (const auto& tile : n.tiles->tiles) {
                t["places"].push_back({{"name", tile.name}, {"x", tile.x}, {"y", tile.y}});
                if (tile.held) t["places"].back()["held"] = true;
            }
        }
        list.push_back(std::move(one));
    }
    return list;
}

namespace
{
json proofToJson(const ProofAsk& p)
{
    json j = json::object();
    for (const auto& [key, level] : p.changes) j["changes"][key] = level;
    for (const auto& [key, size] : p.faults) j["faults"][key] = size;
    if (p.uncertaintyShare != ProofAsk{}.uncertaintyShare) j["uncertainty_share"] = p.uncertaintyShare;
    for (const auto& r : p.reasons)
        j["reasons"].push_back({{"point", r.point}, {"text", r.text}, {"by", r.by}, {"at", r.at}});
    return j;
}
void numbersByKey(const json* j, const std::string& field, double most, ObjectReader& o,
                  std::map<std::string, double>& out)
{
    if (!j) return;
    if (!j->is_object()) return o.wrong(field + " must be an object of numbers");
    for (const auto& [key, v] : j->items()) {
        const double x = v.is_number() ? v.get<double>() : -1;
        if (!(x >= 0 && x <= most))
            return o.wrong(field + ": " + key + " must be a number from 0 to " + base::shortest(most));
        out[key] = x;
    }
}
base::Result<ProofAsk> proofFromJson(const json& j, const std::string& where)
{
    ObjectReader o(j, where);
    ProofAsk p;
    numbersByKey(o.field("changes"), "changes", 1e6, o, p.changes);
    numbersByKey(o.field("faults"), "faults", 1e6, o, p.faults);
    o.number("uncertainty_share", p.uncertaintyShare, 0, 10);
    const json* reasons = o.field("reasons");
    if (auto ok = o.done(); !ok) return base::passOn(ok.error());
    if (reasons && (!reasons->is_array() || reasons->size() > 1000))
        return fail(ErrorCode::InvalidArgument, "reasons must be a list of at most 1000", where);
    for (std::size_t i = 0; reasons && i < reasons->size(); ++i) {
        ObjectReader one((*reasons)[i], where + ": reasons[" + std::to_string(i) + "]");
        ProofAsk::Reason r;
        one.text("point", r.point, true), one.text("text", r.text, true), one.text("by", r.by), one.text("at", r.at);
        if (auto ok = one.done(); !ok) return base::passOn(ok.error());
        p.reasons.push_back(std::move(r));
    }
    return p;
}
base::Result<image::TilePlan> tilesFrom(const json& j, const std::string& where)
{
    ObjectReader o(j, where);
    image::TilePlan plan;
    std::string by = "picture";
    o.number("reach_px", plan.reach, 0, 1000), o.text("by", by), o.flag("even_light", plan.evenLight);
    if (by != "picture" && by != "plan") o.wrong("by = \"" + by + "\" is not one of: picture, plan");
    plan.byPicture = by == "picture";
    const json* places = o.field("places");
    if (auto ok = o.done(); !ok) return base::passOn(ok.error());
    if (!places || !places->is_array() || places->size() > image::kMostTiles)
        return fail(ErrorCode::InvalidArgument,
                    "places must be a list of at most " + std::to_string(image::kMostTiles) + " tiles", where);
    for (std::size_t i = 0; i < places->size(); ++i) {
        ObjectReader one((*places)[i], where + ": places[" + std::to_string(i) + "]");
        image::TilePlan::Tile t;
        one.text("name", t.name, true);
        one.number("x", t.x, -1e6, 1e6, true), one.number("y", t.y, -1e6, 1e6, true), one.flag("held", t.held);
        if (auto ok = one.done(); !ok) return base::passOn(ok.error());
        plan.tiles.push_back(std::move(t));
    }
    return plan;
}
} // namespace

json toJson(const Recipe& r, const std::string& folder)
{
    json j{{"format", "dikkat-recipe"}, {"version", kFormatVersion}, {"name", r.name}, {"revision", r.revision}};
    if (r.calibrated()) j["calibration"] = calibrationToJson(r.calibration);
    if (r.shownIn != base::Unit::Millimetre) j["shown_in"] = base::symbol(r.shownIn);
    if (r.toleranceClass != ToleranceClass::None)
        j["general_tolerance"] = std::string("ISO 2768-") + name(r.toleranceClass);
    if (r.guardBand) j["guard_band"] = true;
    if (r.guardMeasured) j["guard_from_picture"] = true;
    if (r.stopUnsaved) j["when_not_saved"] = "stop";
    if (!r.rule.empty()) j["rule"] = r.rule;
    const Recipe usual;
    if (r.acceptWord != usual.acceptWord) j["accept_word"] = r.acceptWord;
    if (r.rejectWord != usual.rejectWord) j["reject_word"] = r.rejectWord;
    for (const Total& t : r.totals) {
        json one{{"name", t.name}, {"expression", t.expression}};
        if (t.unit != base::Unit::None) one["unit"] = base::symbol(t.unit);
        j["totals"].push_back(one);
    }
    if (r.camera.any()) j["camera"] = cameraToJson(r.camera);
    if (!(r.screen == usual.screen)) j["screen"] = screenToJson(r.screen);
    if (!(r.robot == usual.robot)) j["robot"] = robotToJson(r.robot);
    for (const Outlet& o : r.outlets) j["outputs"].push_back(outletToJson(o));
    if (!r.pictures.empty()) j["pictures"] = namingToJson(r.pictures);
    for (const auto& [name, member] : Recipe::assets()) {
        const Asset& asset = r.*member;
        if (asset.empty()) continue;
        json& one = j["assets"][name];
        for (const Asset::File& f : asset.files)
            if (f.key.empty()) one["file"] = f.name;
            else one["files"][f.key] = f.name;
        if (!asset.origin.empty()) one["taken_from"] = asset.origin;
    }
    for (const LearnedSample& s : r.samples) {
        json one;
        for (const Asset::File& f : s.picture.files)
            if (f.key.empty()) one["file"] = f.name;
            else one["files"][f.key] = f.name;
        if (!s.picture.origin.empty()) one["taken_from"] = s.picture.origin;
        for (const auto& b : s.bare) one["bare"].push_back({{"step", b.step}, {"place", b.place}});
        j["samples"].push_back(std::move(one));
    }
    if (!(r.drawn == usual.drawn)) j["drawn"] = drawingSettingsToJson(r.drawn);
    // A recipe of the root is one kept by itself, beside nothing: paths stay whole.
    const auto written = [&](const std::string& picture) {
        if (folder == "/") return fs::absolute(picture).generic_string();
        // As it is named first: a link stays a link.
        std::error_code ignored;
        const fs::path place = fs::absolute(folder.empty() ? fs::path(".") : fs::path(folder)).lexically_normal();
        const auto inside = [](const fs::path& p) { return !p.empty() && p.begin()->string() != ".."; };
        fs::path below = fs::absolute(picture).lexically_normal().lexically_relative(place);
        if (!inside(below)) below = fs::relative(picture, place, ignored);
        return inside(below) ? below.generic_string() : fs::absolute(picture).generic_string();
    };
    j["trials"] = json::array();
    for (const Trial& t : r.trials) {
        j["trials"].push_back({{"picture", written(t.picture)}, {"label", name(t.label)}});
        for (const ItemLabel& i : t.items)
            j["trials"].back()["items"].push_back({{"at", pointJson(i.at)}, {"label", name(i.label)}});
    }
    if (!r.arrangement.empty()) j["arrangement"] = r.arrangement;
    if (!r.variant.empty()) j["variant"] = r.variant;
    for (const auto& v : r.variants) j["variants"].push_back(toJson(*v, folder));
    if (!(r.proof == usual.proof)) j["proof"] = proofToJson(r.proof);
    if (r.trialsInside) j["trials_inside"] = true;
    for (const std::string& picture : r.setAside) j["set_aside"].push_back(written(picture));
    j["steps"] = json::array();
    for (const Step& s : r.steps) j["steps"].push_back(stepToJson(s));
    return j;
}

// ---------------------------------------------------------------- reading
namespace
{
base::Result<base::Unit> unitFromText(const std::string& text, const std::string& where)
{
    if (const auto u = base::unitFrom(text)) return *u;
    return fail(ErrorCode::InvalidArgument,
                "unknown unit \"" + text + "\"; known are px, mm, um, in, px2, mm2, um2, in2, deg, grey, %", where);
}

void readLimits(ObjectReader& o, Limits& l)
{
    o.number("low", l.low), o.number("high", l.high), o.number("nominal", l.nominal);
    l.hasTolerance = o.field("plus") || o.field("minus");
    o.number("plus", l.plus, 0, 1e12), o.number("minus", l.minus, 0, 1e12);
    std::string general;
    o.text("general", general);
    for (const General g : {General::Length, General::Radius, General::Angle})
        if (general == name(g)) l.general = g;
    if (!general.empty() && l.general == General::None)
        o.wrong("general = \"" + general + "\" is not one of: length, radius, angle");
    o.number("shorter_side", l.shorterSide, 0, 1e6);
    if (l.hasTolerance && !l.nominal) o.wrong("plus and minus need a nominal");
    if (l.general != General::None && !l.nominal) o.wrong("a general tolerance needs a nominal");
    if ((l.hasTolerance || l.general != General::None) && (l.low || l.high))
        o.wrong("give either low and high or a nominal with plus and minus or a general tolerance, not both");
    if (l.general == General::Angle && !l.hasTolerance && !(l.shorterSide > 0))
        o.wrong("a general tolerance of an angle needs shorter_side: the length of its shorter side in mm");
}

// "there are a, b, c": what a kind has of a sort.
template <class Specs> std::string keysOf(const Specs& specs)
{
    std::string out;
    for (const auto& s : specs) out += (out.empty() ? "there are " : ", ") + s.key;
    return out.empty() ? "there are none" : out;
}

void readSpan(ObjectReader& o, const std::string& key, std::optional<Span>& out)
{
    const json* j = o.field(key);
    if (!j) return;
    if (!j->is_array() || j->size() != 2 || !(*j)[0].is_number() || !(*j)[1].is_number())
        return o.wrong(key + " must be two numbers, [from, to]");
    const Span span{(*j)[0].get<double>(), (*j)[1].get<double>()};
    if (!(span.from < span.to)) return o.wrong(key + ": " + j->dump() + " does not rise", ErrorCode::OutOfRange);
    out = span;
}

base::Result<Check> checkFrom(const json& j, const StepKind& kind, const Step& step, const std::string& where)
{
    ObjectReader o(j, where);
    Check c;
    std::string unit;
    o.text("output", c.output);
    if (c.output.empty() && kind.mainOutput()) c.output = kind.mainOutput()->key;
    c.name = step.name;
    o.text("name", c.name);
    o.whole("balloon", c.balloon, 0, 99999);
    readLimits(o, c.limits);
    o.text("fault", c.fault);
    o.number("uncertainty", c.uncertainty);
    if (c.uncertainty && *c.uncertainty < 0)
        o.wrong("uncertainty = " + base::shortest(*c.uncertainty) + " is below 0", ErrorCode::OutOfRange);
    std::string match;
    o.text("match", match);
    if (!match.empty() && match != "order" && match != "place")
        o.wrong("match = \"" + match + "\" is not one of: order, place");
    if (match == "place") c.match = Match::Place;
    o.number("reach", c.reach, 0, 1e6);
    if (o.field("label_at")) {
        Point p;
        readPoint(o, "label_at", p);
        c.labelAt = p;
    }
    o.flag("on_screen", c.onScreen);
    readSpan(o, "low_may_be", c.lowMay), readSpan(o, "high_may_be", c.highMay);
    const json* elements = o.field("elements");
    const json* grid = o.field("grid");
    const bool unitGiven = o.field("unit") != nullptr;
    o.text("unit", unit);
    if (auto ok = o.done(); !ok) return base::passOn(ok.error());
    const OutputSpec* out = kind.output(c.output);
    if (!out)
        return fail(ErrorCode::InvalidArgument,
                    "output \"" + c.output + "\" is not one of kind \"" + kind.key + "\"; " + keysOf(kind.outputs),
                    where);
    bool anyLimits = c.limits.any();
    if ((elements || grid || c.match == Match::Place) && !out->list)
        return fail(ErrorCode::InvalidArgument,
                    "output \"" + c.output + "\" is one value, not a list: elements do not fit", where);
    if (elements && grid) return fail(ErrorCode::InvalidArgument, "give either elements or grid, not both", where);
    if (elements) {
        if (!elements->is_array() || elements->size() > 10000)
            return fail(ErrorCode::InvalidArgument, "elements must be a list of at most 10000", where);
        for (std::size_t i = 0; i < elements->size(); ++i) {
            ObjectReader e((*elements)[i], where + ": elements[" + std::to_string(i) + "]");
            Element one;
            Limits own;
            e.text("name", one.name);
            readLimits(e, own);
            if (e.field("at")) {
                Point p;
                readPoint(e, "at", p);
                one.at = p;
            }
            if (auto ok = e.done(); !ok) return base::passOn(ok.error());
            if (auto ok = own.check(); !ok) return base::passOn(ok.error(), e.where());
            if (own.any()) one.own = own, anyLimits = true;
            if (c.match == Match::Place && !one.at)
                return fail(ErrorCode::InvalidArgument, "matched by place, an element needs \"at\"", e.where());
            c.elements.push_back(std::move(one));
        }
    }
    if (grid) {
        ObjectReader g(*grid, where + ": grid");
        int rows = 1, columns = 1;
        Point first, column, row;
        g.whole("rows", rows, 1, 1000, true), g.whole("columns", columns, 1, 1000, true);
        readPoint(g, "first", first), readPoint(g, "column", column), readPoint(g, "row", row);
        if (auto ok = g.done(); !ok) return base::passOn(ok.error());
        if (rows * columns > 10000) return fail(ErrorCode::OutOfRange, "rows × columns is above 10000", g.where());
        c.elements = gridOfPlaces(rows, columns, first, column, row);
        c.match = Match::Place;
    }
    if (c.match == Match::Place && c.elements.empty())
        return fail(ErrorCode::InvalidArgument, "matched by place, the check needs elements", where);
    if (unitGiven && !unit.empty()) {
        const auto u = unitFromText(unit, where);
        if (!u) return base::passOn(u.error());
        c.limits.unit = *u;
    } else if (anyLimits) {
        if (out->unit == base::Unit::Pixel || out->unit == base::Unit::SquarePixel)
            return fail(ErrorCode::InvalidArgument, "limits on \"" + c.output + "\" need a unit (px or mm, px2 or mm2)",
                        where);
        c.limits.unit = out->unit;
    } else {
        c.limits.unit = out->unit;
    }
    if (auto ok = c.limits.check(); !ok) return base::passOn(ok.error(), where);
    for (Element& e : c.elements)
        if (e.own) e.own->unit = c.limits.unit;
    return c;
}

// Reads one step, part by part; the first thing that is wrong ends it, named by its place in the file.
class StepReader
{
public:
    StepReader(const json& j, std::string where) : m_json(j), m_where(std::move(where)) {}
    base::Result<Step> read()
    {
        ObjectReader o(m_json, m_where);
        int version = 1;
        o.text("id", s.id, true), o.text("kind", s.kind, true);
        s.name = s.id;
        o.text("name", s.name), o.text("datum", s.datum), o.text("letter", s.letter), o.flag("in_use", s.inUse);
        o.whole("version", version, 1, 1'000'000);
        const json* params = o.field("params");
        const json* regions = o.field("regions");
        const json* points = o.field("points");
        const json* inputs = o.field("inputs");
        const json* checks = o.field("checks");
        const json* leaveOut = o.field("leave_out");
        const json* filters = o.field("filters");
        const json* samples = o.field("samples");
        const json* places = o.field("places");
        const json* kinds = o.field("kinds");
        const json* pictures = o.field("pictures");
        base::Status ok = o.done();
        if (ok) ok = readKind(version, params);
        if (ok) ok = readPictures(pictures);
        if (ok) ok = readObject(regions, "regions", &StepReader::readRegion);
        if (ok) ok = readObject(points, "points", &StepReader::readPlace);
        if (ok) ok = readObject(inputs, "inputs", &StepReader::readInput);
        if (ok) ok = readList(leaveOut, "leave_out", kind->leavesOut, &StepReader::readLeftOut);
        if (ok) ok = readList(filters, "filters", kind->hasFilters, &StepReader::readFilter);
        if (ok) ok = readList(samples, "samples", kind->hasSamples, &StepReader::readSample);
        if (ok) ok = readList(places, "places", kind->hasPlaces, &StepReader::readNamedPlace);
        if (ok) ok = readList(kinds, "kinds", kind->hasKinds, &StepReader::readObjectKind);
        if (ok) ok = readChecks(checks);
        if (!ok) return base::passOn(ok.error());
        return std::move(s);
    }

private:
    base::Status readKind(int version, const json* params)
    {
        kind = findKind(s.kind);
        if (!kind) {
            std::string known;
            for (const StepKind& k : allStepKinds()) known += (known.empty() ? "" : ", ") + k.key;
            return fail(ErrorCode::Unsupported, "unknown kind \"" + s.kind + "\"; known are " + known, m_where);
        }
        if (version > kind->version)
            return fail(ErrorCode::Unsupported,
                        "kind \"" + s.kind + "\" version " + std::to_string(version) +
                            " was saved by a newer program; this one knows version " + std::to_string(kind->version),
                        m_where);
        s.params = kind->defaults;
        if (!params) return {};
        auto p = kind->paramsFromJson(*params);
        if (!p) return base::passOn(p.error(), m_where);
        s.params = std::move(*p);
        return {};
    }
    base::Status readPictures(const json* pictures)
    {
        if (!pictures) return {};
        ObjectReader p(*pictures, m_where + ": pictures");
        for (const PictureSpec& spec : kind->pictures)
            if (std::string picture; p.text(spec.key, picture), !picture.empty()) s.pictures[spec.key] = picture;
        return p.done();
    }
    using Member = base::Status (StepReader::*)(const std::string& key, const json& value, const std::string& here);
    base::Status readObject(const json* j, const char* name, Member take)
    {
        if (!j) return {};
        if (!j->is_object()) return fail(ErrorCode::InvalidArgument, std::string(name) + " must be an object", m_where);
        for (const auto& [key, value] : j->items())
            if (auto ok = (this->*take)(key, value, m_where + ": " + name + ": " + key); !ok) return ok;
        return {};
    }
    base::Status readRegion(const std::string& key, const json& r, const std::string& here)
    {
        const RegionSpec* spec = kind->region(key);
        if (!spec)
            return fail(ErrorCode::InvalidArgument,
                        "kind \"" + s.kind + "\" has no such region; " + keysOf(kind->regions), here);
        if (r.is_object() && r.contains("shape") && r["shape"] == "result") {
            ObjectReader q(r, here);
            RegionOf of;
            std::string shape;
            q.text("shape", shape, true), q.text("of", of.step, true), q.number("grow", of.grow, -1e5, 1e5);
            if (auto ok = q.done(); !ok) return ok;
            if (spec->teaching)
                return fail(ErrorCode::InvalidArgument, "a teaching region is drawn, it cannot be a result", here);
            s.regionsOf[key] = of;
            return {};
        }
        auto region = regionFromJson(r);
        if (!region) return base::passOn(region.error(), here);
        if (region->shape == Shape::Whole && !spec->needed) return {};
        if (std::find(spec->shapes.begin(), spec->shapes.end(), region->shape) == spec->shapes.end()) {
            std::string allowed;
            for (const Shape x : spec->shapes)
                allowed += (allowed.empty() ? "" : ", ") + std::string(geometry::name(x));
            return fail(ErrorCode::InvalidArgument,
                        "shape \"" + std::string(geometry::name(region->shape)) + "\" does not fit; possible are " +
                            allowed,
                        here);
        }
        s.regions[key] = *region;
        return {};
    }
    base::Status readPlace(const std::string& key, const json& p, const std::string& here)
    {
        if (std::none_of(kind->points.begin(), kind->points.end(), [&](const PointSpec& x) { return x.key == key; }))
            return fail(ErrorCode::InvalidArgument,
                        "kind \"" + s.kind + "\" has no such point; " + keysOf(kind->points), here);
        auto point = pointFrom(p, here);
        if (!point) return base::passOn(point.error());
        s.points[key] = *point;
        return {};
    }
    base::Status readInput(const std::string& key, const json& id, const std::string& here)
    {
        if (!kind->input(key))
            return fail(ErrorCode::InvalidArgument,
                        "kind \"" + s.kind + "\" has no such input; " + keysOf(kind->inputs), here);
        if (!id.is_string()) return fail(ErrorCode::InvalidArgument, "must be the id of a step", here);
        s.inputs[key] = id.get<std::string>();
        return {};
    }
    using Entry = base::Status (StepReader::*)(const json& entry, const std::string& here);
    base::Status readList(const json* list, const char* name, bool allowed, Entry take)
    {
        if (!list) return {};
        if (!allowed) return fail(ErrorCode::InvalidArgument, "kind \"" + s.kind + "\" takes no " + name, m_where);
        if (!list->is_array()) return fail(ErrorCode::InvalidArgument, std::string(name) + " must be a list", m_where);
        if (list->size() > 10000)
            return fail(ErrorCode::OutOfRange, std::string(name) + " has more than 10000 entries", m_where);
        for (std::size_t i = 0; i < list->size(); ++i)
            if (auto ok = (this->*take)((*list)[i], m_where + ": " + name + "[" + std::to_string(i) + "]"); !ok)
                return ok;
        return {};
    }
    base::Status readLeftOut(const json& x, const std::string& here)
    {
        auto region = regionFromJson(x);
        if (!region) return base::passOn(region.error(), here);
        if (region->shape == Shape::Whole)
            return fail(ErrorCode::InvalidArgument, "the whole picture cannot be left out", here);
        s.leaveOut.push_back(*region);
        return {};
    }
    base::Status readFilter(const json& x, const std::string& here)
    {
        ObjectReader q(x, here);
        Filter f;
        q.text("output", f.output, true), q.number("low", f.low), q.number("high", f.high);
        if (auto done = q.done(); !done) return done;
        const OutputSpec* out = kind->output(f.output);
        if (!out || !out->list || !out->filters) {
            std::string names;
            for (const OutputSpec& one : kind->outputs)
                if (one.list && one.filters) names += (names.empty() ? "" : ", ") + one.key;
            return fail(ErrorCode::InvalidArgument,
                        "output \"" + f.output + "\" filters no object of kind \"" + s.kind + "\"; possible are " +
                            names,
                        here);
        }
        if (f.low && f.high && *f.low > *f.high)
            return fail(ErrorCode::OutOfRange,
                        "low = " + base::shortest(*f.low) + " is above high = " + base::shortest(*f.high), here);
        s.filters.push_back(f);
        return {};
    }
    base::Status readSample(const json& x, const std::string& here)
    {
        ObjectReader q(x, here);
        Sample one;
        q.flag("not", one.refused);
        if (const json* colour = q.field("colour")) {
            one.colour.emplace();
            bool right = colour->is_array() && colour->size() == 3;
            for (std::size_t k = 0; k < 3 && right; ++k) {
                right = (*colour)[k].is_number_integer() && (*colour)[k] >= 0 && (*colour)[k] <= 255;
                if (right) (*one.colour)[k] = (*colour)[k].get<int>();
            }
            if (!right)
                return fail(ErrorCode::OutOfRange, "colour must be [red, green, blue], whole numbers 0 .. 255", here);
        } else {
            readPoint(q, "at", one.at);
        }
        if (auto done = q.done(); !done) return done;
        s.samples.push_back(one);
        return {};
    }
    base::Status readNamedPlace(const json& x, const std::string& here)
    {
        auto one = placeFromJson(x, here);
        if (!one) return base::passOn(one.error());
        for (const Place& other : s.places)
            if (other.name == one->name)
                return fail(ErrorCode::InvalidArgument, "name \"" + one->name + "\" stands twice", here);
        s.places.push_back(std::move(*one));
        return {};
    }
    base::Status readObjectKind(const json& x, const std::string& here)
    {
        ObjectReader q(x, here);
        ObjectKind one;
        q.text("name", one.name, true), q.number("low", one.low), q.number("high", one.high);
        q.number("least_area", one.least), q.number("most_area", one.most);
        if (auto done = q.done(); !done) return done;
        if (one.name.empty()) return fail(ErrorCode::InvalidArgument, "name must not be empty", here);
        for (const ObjectKind& other : s.kinds)
            if (other.name == one.name)
                return fail(ErrorCode::InvalidArgument, "name \"" + one.name + "\" stands twice", here);
        if (one.low && one.high && *one.low > *one.high)
            return fail(ErrorCode::OutOfRange, "low must not be above high", here);
        if (one.least && one.most && *one.least > *one.most)
            return fail(ErrorCode::OutOfRange, "least_area must not be above most_area", here);
        s.kinds.push_back(std::move(one));
        return {};
    }
    base::Status readChecks(const json* checks)
    {
        if (!checks) return {};
        if (!checks->is_array() || checks->size() > kMostChecks)
            return fail(ErrorCode::InvalidArgument, "checks must be a list of at most " + std::to_string(kMostChecks),
                        m_where);
        for (std::size_t i = 0; i < checks->size(); ++i) {
            auto c = checkFrom((*checks)[i], *kind, s, m_where + ": checks[" + std::to_string(i) + "]");
            if (!c) return base::passOn(c.error());
            s.checks.push_back(std::move(*c));
        }
        return {};
    }

    const json& m_json;
    const std::string m_where;
    Step s;
    const StepKind* kind = nullptr;
};

// As the file's version calls it.
std::string assetField(const std::string& name, int version)
{
    if (version == 1) return name == "empty" ? "empty_picture" : name;
    return "assets: " + name;
}

base::Result<image::Naming> namingFrom(const json& j, const std::string& where)
{
    if (!j.is_array()) return fail(ErrorCode::InvalidArgument, "must be a list", where);
    image::Naming out;
    for (std::size_t i = 0; i < j.size() && i <= image::kMostPictures; ++i) {
        ObjectReader o(j[i], where + "[" + std::to_string(i) + "]");
        image::PictureName n;
        o.text("key", n.key, true), o.text("file", n.file, true);
        if (const json* height = o.field("height")) {
            ObjectReader h(*height, o.where() + ": height");
            n.height.emplace();
            h.number("mm_per_step", n.height->mmPerStep, 1e-9, 1e6, true);
            h.number("offset_mm", n.height->offsetMm, -1e9, 1e9);
            h.number("pixel_mm", n.height->pixelMm, 0, 1e6);
            h.number("missing", n.height->missing);
            h.number("left_mm", n.height->raster.leftMm, -1e9, 1e9),
                h.number("top_mm", n.height->raster.topMm, -1e9, 1e9);
            h.whole("width", n.height->raster.width, 0, 200'000),
                h.whole("height", n.height->raster.height, 0, 200'000);
            if (auto ok = h.done(); !ok) return base::passOn(ok.error());
        }
        if (const json* tiles = o.field("tiles")) {
            auto plan = tilesFrom(*tiles, o.where() + ": tiles");
            if (!plan) return base::passOn(plan.error());
            n.tiles = std::move(*plan);
        }
        if (auto ok = o.done(); !ok) return base::passOn(ok.error());
        out.push_back(std::move(n));
    }
    if (auto ok = image::check(out); !ok) return base::passOn(ok.error(), where);
    return out;
}

// Names only; the bytes are read with the rest of the file.
base::Result<Asset> assetFrom(const json& j, const char* single, const image::Naming& naming, const std::string& where)
{
    Asset out;
    const auto add = [&](const std::string& key, const std::string& name) { out.files.push_back({key, name, {}}); };
    if (j.is_string()) {
        add("", j.get<std::string>());
    } else {
        ObjectReader o(j, where);
        std::string file;
        const json* files = naming.empty() ? nullptr : o.field("files");
        if (naming.empty()) o.text(single, file, true);
        o.text("taken_from", out.origin);
        if (auto ok = o.done(); !ok) return base::passOn(ok.error());
        if (!file.empty()) add("", file);
        if (files) {
            ObjectReader all(*files, where + ": files");
            for (const image::PictureName& n : naming) {
                std::string name;
                bool tiled = false;
                for (const auto& tile : n.tiles ? n.tiles->tiles : std::vector<image::TilePlan::Tile>()) {
                    const std::string key = n.key + "/" + tile.name;
                    if (std::string one; all.field(key) != nullptr) all.text(key, one), add(key, one), tiled = true;
                }
                if (tiled) continue;
                all.text(n.key, name, true);
                if (!name.empty()) add(n.key, name);
            }
            if (auto ok = all.done(); !ok) return base::passOn(ok.error());
        }
    }
    std::set<std::string> keys;
    for (const Asset::File& file : out.files) keys.insert(image::pictureOf(file.key));
    if (!naming.empty() && keys.size() != naming.size())
        return fail(ErrorCode::InvalidArgument, "files must name one file for each of the recipe's pictures", where);
    return out;
}

base::Status readSamples(const json& samples, Recipe& r)
{
    if (!samples.is_array() || samples.size() > kMostSamples)
        return fail(ErrorCode::InvalidArgument, "must be a list of at most " + std::to_string(kMostSamples), "samples");
    for (std::size_t i = 0; i < samples.size(); ++i) {
        const std::string where = "samples[" + std::to_string(i) + "]";
        json picture = samples[i];
        LearnedSample one;
        if (picture.is_object() && picture.contains("bare")) {
            const json bare = picture["bare"];
            picture.erase("bare");
            if (!bare.is_array() || bare.size() > 10000)
                return fail(ErrorCode::InvalidArgument, "bare must be a list of at most 10000", where);
            for (const json& b : bare) {
                ObjectReader o(b, where + ": bare");
                LearnedSample::Bare place;
                o.text("step", place.step, true), o.text("place", place.place, true);
                if (auto ok = o.done(); !ok) return base::passOn(ok.error());
                one.bare.push_back(std::move(place));
            }
        }
        auto asset = assetFrom(picture, "file", r.pictures, where);
        if (!asset) return base::passOn(asset.error());
        one.picture = std::move(*asset);
        r.samples.push_back(std::move(one));
    }
    return {};
}

base::Status readOutlets(const json& outputs, Recipe& r)
{
    if (!outputs.is_array() || outputs.size() > kMostOutlets)
        return fail(ErrorCode::InvalidArgument, "must be a list of at most " + std::to_string(kMostOutlets), "outputs");
    for (std::size_t i = 0; i < outputs.size(); ++i) {
        const std::string where = "outputs[" + std::to_string(i) + "]";
        auto one = outletFromJson(outputs[i], where);
        if (!one) return base::passOn(one.error());
        for (const Outlet& o : r.outlets)
            if (o.name == one->name)
                return fail(ErrorCode::InvalidArgument, "another one is named \"" + o.name + "\" already", where);
        r.outlets.push_back(std::move(*one));
    }
    return {};
}

base::Status readTotals(const json& totals, Recipe& r)
{
    if (!totals.is_array() || totals.size() > 100)
        return fail(ErrorCode::InvalidArgument, "must be a list of at most 100", "totals");
    for (std::size_t i = 0; i < totals.size(); ++i) {
        ObjectReader t(totals[i], "totals[" + std::to_string(i) + "]");
        Total one;
        std::string unit;
        t.text("name", one.name, true), t.text("expression", one.expression, true), t.text("unit", unit);
        if (auto ok = t.done(); !ok) return base::passOn(ok.error());
        const auto u = unitFromText(unit, t.where());
        if (!u) return base::passOn(u.error());
        one.unit = *u;
        r.totals.push_back(std::move(one));
    }
    return {};
}
std::string placed(const std::string& picture, const std::string& folder)
{
    const fs::path p(picture);
    return p.is_absolute() ? picture : (fs::path(folder) / p).lexically_normal().string();
}
constexpr std::size_t kMostLabels = 10000; // of parts in one picture
Label labelFrom(ObjectReader& o)
{
    std::string label = "open";
    o.text("label", label);
    if (label != "good" && label != "bad" && label != "open")
        o.wrong("label = \"" + label + "\" is not one of: good, bad, open");
    return label == "good" ? Label::Good : label == "bad" ? Label::Bad : Label::Open;
}
base::Status readTrials(const json& trials, const std::string& folder, Recipe& r)
{
    if (!trials.is_array() || trials.size() > kMostTrials)
        return fail(ErrorCode::InvalidArgument, "must be a list of at most " + std::to_string(kMostTrials), "trials");
    for (std::size_t i = 0; i < trials.size(); ++i) {
        ObjectReader t(trials[i], "trials[" + std::to_string(i) + "]");
        Trial trial;
        std::string picture;
        t.text("picture", picture, true);
        trial.picture = placed(picture, folder);
        trial.label = labelFrom(t);
        const json* items = t.field("items");
        if (items && (!items->is_array() || items->size() > kMostLabels))
            t.wrong("items must be a list of at most " + std::to_string(kMostLabels));
        if (auto ok = t.done(); !ok) return base::passOn(ok.error());
        for (std::size_t k = 0; items && k < items->size(); ++k) {
            ObjectReader one((*items)[k], t.where() + ": items[" + std::to_string(k) + "]");
            ItemLabel label;
            readPoint(one, "at", label.at);
            label.label = labelFrom(one);
            if (auto ok = one.done(); !ok) return base::passOn(ok.error());
            trial.items.push_back(label);
        }
        r.trials.push_back(std::move(trial));
    }
    return {};
}
base::Status readSteps(const json& steps, Recipe& r)
{
    if (!steps.is_array() || steps.size() > kMostSteps)
        return fail(ErrorCode::InvalidArgument, "must be a list of at most " + std::to_string(kMostSteps), "steps");
    std::set<std::string> ids;
    for (std::size_t i = 0; i < steps.size(); ++i) {
        const std::string where = "steps[" + std::to_string(i) + "]";
        auto s = StepReader(steps[i], where).read();
        if (!s) return base::passOn(s.error());
        if (s->id.empty()) return fail(ErrorCode::InvalidArgument, "id is empty", where);
        if (!ids.insert(s->id).second)
            return fail(ErrorCode::InvalidArgument, "id \"" + s->id + "\" stands twice", where);
        for (const auto& [key, picture] : s->pictures)
            if (std::none_of(r.pictures.begin(), r.pictures.end(), [&](const auto& n) { return n.key == picture; }))
                return fail(ErrorCode::InvalidArgument, key + " = \"" + picture + "\" is none of the recipe's pictures",
                            where + ": pictures");
        r.steps.push_back(std::move(*s));
    }
    return {};
}
// What a file written by hand may leave to the program: ids in formulas, balloons, letters.
void finishByHand(Recipe& r)
{
    // Formulas may have been written with names; ids stay when a name changes.
    for (Step& s : r.steps)
        for (const ParamSpec& p : findKind(s.kind)->params)
            if (const auto* text = std::get_if<Text>(&p.domain); text && text->formula)
                p.put(s.params, withIds(std::get<std::string>(p.get(s.params)), r));
    r.rule = withIds(r.rule, r);
    for (Total& t : r.totals) t.expression = withIds(t.expression, r);
    // Balloons and letters a hand-written recipe left out.
    for (std::size_t i = 0; i < r.steps.size(); ++i) {
        Step& s = r.steps[i];
        const bool datum = findKind(s.kind)->datum;
        if (datum && s.letter.empty()) s.letter = r.freshLetter();
        for (Check& c : s.checks)
            if (c.balloon == 0 && !datum) c.balloon = r.freshBalloon();
    }
}

// A field of the other version is known, but not in this file.
base::Status fieldsOfItsVersion(const json& j)
{
    if (!j.is_object() || !j.contains("version") || !j["version"].is_number_integer()) return {};
    const bool first = j["version"] == 1;
    for (const char* newer : {"pictures", "assets"})
        if (first && j.contains(newer))
            return fail(ErrorCode::InvalidArgument, std::string("the field \"") + newer + "\" needs \"version\": 2");
    for (const char* older : {"reference", "empty_picture"})
        if (!first && j.contains(older))
            return fail(ErrorCode::InvalidArgument,
                        std::string("the field \"") + older +
                            "\" is of version 1; in version 2 it stands under assets, as in " +
                            "\"assets\": {\"reference\": {\"file\": \"reference.png\"}}");
    return {};
}

base::Result<Recipe> recipeFrom(const json& j, const std::string& folder);
// The other variants of the part: whole recipes, each with a name of its own.
base::Status readVariants(const json& variants, const std::string& folder, Recipe& r)
{
    if (!variants.is_array() || variants.size() > kMostVariants)
        return fail(ErrorCode::InvalidArgument, "must be a list of at most " + std::to_string(kMostVariants),
                    "variants");
    std::set<std::string> names{r.variant};
    for (std::size_t i = 0; i < variants.size(); ++i) {
        const std::string where = "variants[" + std::to_string(i) + "]";
        auto one = recipeFrom(variants[i], folder);
        if (!one) return base::passOn(one.error(), where);
        if (!one->variants.empty())
            return fail(ErrorCode::InvalidArgument, "a variant cannot have variants of its own", where);
        if (one->variant.empty() || !names.insert(one->variant).second)
            return fail(ErrorCode::InvalidArgument,
                        one->variant.empty() ? "variant is missing: its name"
                                             : "the variant \"" + one->variant + "\" stands twice",
                        where);
        r.variants.push_back(std::make_shared<const Recipe>(std::move(*one)));
    }
    return {};
}

// Everything but the reference's pixels.
base::Result<Recipe> recipeFrom(const json& j, const std::string& folder)
{
    // The version is looked at first: a newer file may have fields this program cannot know.
    if (j.is_object() && j.contains("version") && j["version"].is_number_integer() &&
        j["version"].get<std::int64_t>() > kFormatVersion)
        return fail(ErrorCode::Unsupported, "the recipe has format version " + j["version"].dump() +
                                                ", made by a newer program; this one reads up to version " +
                                                std::to_string(kFormatVersion));
    if (auto ok = fieldsOfItsVersion(j); !ok) return base::passOn(ok.error());
    ObjectReader o(j, "");
    Recipe r;
    std::string format;
    int version = 0;
    o.text("format", format, true);
    if (!format.empty() && format != "dikkat-recipe")
        return fail(ErrorCode::Unsupported, "format is \"" + format + "\"; \"dikkat-recipe\" is expected");
    o.whole("version", version, 1, 1'000'000, true);
    o.text("name", r.name), o.whole("revision", r.revision, 1, 1'000'000'000);
    const json* calibration = o.field("calibration");
    std::string shown, general;
    o.text("shown_in", shown), o.text("general_tolerance", general), o.flag("guard_band", r.guardBand),
        o.flag("guard_from_picture", r.guardMeasured), o.text("rule", r.rule);
    o.text("accept_word", r.acceptWord), o.text("reject_word", r.rejectWord);
    std::string unsaved;
    o.text("when_not_saved", unsaved);
    const json* totals = o.field("totals");
    const json* outputs = o.field("outputs");
    const json *camera = o.field("camera"), *screen = o.field("screen"), *robot = o.field("robot");
    const json *drawn = o.field("drawn"), *samples = o.field("samples"), *proof = o.field("proof");
    const json *pictures = nullptr, *assets = nullptr, *reference = nullptr, *empty = nullptr;
    if (version == 1) reference = o.field("reference"), empty = o.field("empty_picture");
    else pictures = o.field("pictures"), assets = o.field("assets");
    const json* trials = o.field("trials");
    o.flag("trials_inside", r.trialsInside);
    const json* aside = o.field("set_aside");
    o.text("arrangement", r.arrangement), o.text("variant", r.variant);
    const json* variants = o.field("variants");
    const json* steps = o.field("steps");
    (void)o.field("$schema");
    if (auto ok = o.done(); !ok) return base::passOn(ok.error());
    if (calibration) {
        auto c = calibrationFromJson(*calibration, "calibration");
        if (!c) return base::passOn(c.error());
        r.calibration = std::move(*c);
    }
    if (!shown.empty()) {
        const auto u = base::unitFrom(shown);
        if (!u || *u == base::Unit::Pixel || !base::convertible(*u, base::Unit::Millimetre))
            return fail(ErrorCode::InvalidArgument, "shown_in = \"" + shown + "\" is not one of: mm, um, in");
        r.shownIn = *u;
    }
    for (const ToleranceClass c : {ToleranceClass::F, ToleranceClass::M, ToleranceClass::C, ToleranceClass::V})
        if (general == std::string("ISO 2768-") + name(c) || general == name(c)) r.toleranceClass = c;
    if (!general.empty() && r.toleranceClass == ToleranceClass::None)
        return fail(ErrorCode::InvalidArgument, "general_tolerance = \"" + general +
                                                    "\" is not one of: ISO 2768-f, ISO 2768-m, ISO 2768-c, ISO 2768-v");
    if (!unsaved.empty() && unsaved != "stop" && unsaved != "go_on")
        return fail(ErrorCode::InvalidArgument, "when_not_saved = \"" + unsaved + "\" is not one of: go_on, stop");
    r.stopUnsaved = unsaved == "stop";
    if (r.acceptWord.empty() || r.rejectWord.empty() || r.acceptWord == r.rejectWord)
        return fail(ErrorCode::InvalidArgument, "accept_word and reject_word must be two different words");
    if (camera) {
        auto c = cameraFromJson(*camera, "camera");
        if (!c) return base::passOn(c.error());
        r.camera = std::move(*c);
    }
    if (screen) {
        auto s = screenFromJson(*screen, "screen");
        if (!s) return base::passOn(s.error());
        r.screen = std::move(*s);
    }
    if (drawn) {
        auto d = drawingSettingsFromJson(*drawn, "drawn");
        if (!d) return base::passOn(d.error());
        r.drawn = std::move(*d);
    }
    if (proof) {
        auto p = proofFromJson(*proof, "proof");
        if (!p) return base::passOn(p.error());
        r.proof = std::move(*p);
    }
    if (robot) {
        auto f = robotFromJson(*robot, "robot");
        if (!f) return base::passOn(f.error());
        r.robot = std::move(*f);
    }
    if (outputs)
        if (auto ok = readOutlets(*outputs, r); !ok) return base::passOn(ok.error());
    if (totals)
        if (auto ok = readTotals(*totals, r); !ok) return base::passOn(ok.error());
    if (pictures) {
        auto naming = namingFrom(*pictures, "pictures");
        if (!naming) return base::passOn(naming.error());
        r.pictures = std::move(*naming);
    }
    for (const auto& [name, member] : Recipe::assets()) {
        const json* one = assets && assets->is_object() && assets->contains(name) ? &(*assets)[name] : nullptr;
        if (version == 1)
            one = std::string(name) == "reference" ? reference : std::string(name) == "empty" ? empty : nullptr;
        if (!one) continue;
        const bool drawing = member == &Recipe::drawing; // one file, however many pictures a capture has
        auto asset = assetFrom(*one, version == 1 ? "picture" : "file", drawing ? image::Naming{} : r.pictures,
                               assetField(name, version));
        if (!asset) return base::passOn(asset.error());
        r.*member = std::move(*asset);
    }
    if (assets) {
        ObjectReader known(*assets, "assets");
        for (const auto& [name, member] : Recipe::assets()) (void)known.field(name);
        if (auto ok = known.done(); !ok) return base::passOn(ok.error());
    }
    if (samples)
        if (auto ok = readSamples(*samples, r); !ok) return base::passOn(ok.error());
    if (trials)
        if (auto ok = readTrials(*trials, folder, r); !ok) return base::passOn(ok.error());
    if (r.arrangement != "" && r.arrangement != "wide" && r.arrangement != "tall")
        return fail(ErrorCode::InvalidArgument, "arrangement = \"" + r.arrangement + "\" is not one of: wide, tall");
    if (variants)
        if (auto ok = readVariants(*variants, folder, r); !ok) return base::passOn(ok.error());
    if (aside) {
        if (!aside->is_array() || aside->size() > kMostTrials)
            return fail(ErrorCode::InvalidArgument, "must be a list of at most " + std::to_string(kMostTrials),
                        "set_aside");
        for (const json& one : *aside) {
            if (!one.is_string()) return fail(ErrorCode::InvalidArgument, "must be a list of texts", "set_aside");
            r.setAside.push_back(placed(one.get<std::string>(), folder));
        }
    }
    if (steps)
        if (auto ok = readSteps(*steps, r); !ok) return base::passOn(ok.error());
    finishByHand(r);
    if (auto order = orderByDependence(r.steps); !order) return base::passOn(order.error());
    return r;
}
// What may not stand in a file although it is JSON.
struct Refused {
    ErrorCode code;
    std::string message;
};
} // namespace

base::Result<json> parseJson(const std::string& text)
{
    if (text.size() > kLargestRecipeText)
        return fail(ErrorCode::OutOfRange, "the recipe has " + std::to_string(text.size()) + " bytes; at most " +
                                               std::to_string(kLargestRecipeText) + " are read");
    // The keys of every object that is open, from the outside in.
    std::vector<std::set<std::string>> keys;
    std::vector<std::string> way;
    const auto each = [&](int depth, json::parse_event_t event, json& parsed) {
        using E = json::parse_event_t;
        if (depth > kDeepestNesting)
            throw Refused{ErrorCode::OutOfRange, "nested deeper than " + std::to_string(kDeepestNesting) + " levels"};
        if (event == E::object_start) keys.emplace_back(), way.emplace_back();
        if (event == E::object_end) keys.pop_back(), way.pop_back();
        if (event == E::key) {
            way.back() = parsed.get<std::string>();
            if (keys.back().insert(way.back()).second) return true;
            std::string where;
            for (const std::string& w : way) where += (where.empty() ? "" : ": ") + w;
            throw Refused{ErrorCode::InvalidArgument, "the field " + where + " stands twice"};
        }
        return true;
    };
    try {
        return json::parse(text, each);
    } catch (const Refused& r) {
        return fail(r.code, r.message);
    } catch (const json::exception& e) {
        return fail(ErrorCode::Corrupt, std::string("not valid JSON: ") + e.what());
    } catch (const std::bad_alloc&) {
        return fail(ErrorCode::OutOfRange, "there is not enough memory for the recipe");
    }
}

base::Result<Recipe> fromText(const std::string& text, const std::string& folder, const std::string& where,
                              const std::function<base::Result<std::string>(const std::string&)>& member)
{
    auto j = parseJson(text);
    if (!j) return base::passOn(j.error(), where);
    auto r = recipeFrom(*j, folder);
    if (!r) return base::passOn(r.error(), where);
    const auto readAssets = [&](Recipe& of) -> base::Status {
        for (const auto& [name, asset] : Recipe::assets()) {
            Asset& one = of.*asset;
            if (one.files.empty()) continue;
            for (Asset::File& f : one.files) {
                auto bytes = member(f.name);
                if (!bytes) return base::passOn(bytes.error(), where + ": " + assetField(name, j->value("version", 0)));
                f.bytes = std::make_shared<const std::string>(std::move(*bytes));
            }
            auto made = asset == &Recipe::drawing ? makeDrawing(of.drawn, std::move(one.files.front()), one.origin)
                                                  : makeAsset(of.pictures, std::move(one.files), one.origin);
            if (!made) return base::passOn(made.error(), where);
            one = std::move(*made);
        }
        for (LearnedSample& s : of.samples) {
            for (Asset::File& f : s.picture.files) {
                auto bytes = member(f.name);
                if (!bytes) return base::passOn(bytes.error(), where + ": samples");
                f.bytes = std::make_shared<const std::string>(std::move(*bytes));
            }
            auto made = makeAsset(of.pictures, std::move(s.picture.files), s.picture.origin);
            if (!made) return base::passOn(made.error(), where + ": samples");
            s.picture = std::move(*made);
        }
        return {};
    };
    if (auto ok = readAssets(*r); !ok) return base::passOn(ok.error());
    for (auto& v : r->variants) {
        auto whole = std::make_shared<Recipe>(*v);
        if (auto ok = readAssets(*whole); !ok) return base::passOn(ok.error());
        v = std::move(whole);
    }
    return r;
}

base::Result<Place> placeFromJson(const json& j, const std::string& where)
{
    ObjectReader o(j, where);
    Place one;
    o.text("name", one.name, true), readPoint(o, "at", one.at);
    const json* outline = o.field("outline");
    o.flag("marked", one.marked), o.text("picture", one.picture);
    if (auto done = o.done(); !done) return base::passOn(done.error());
    if (outline) {
        auto region = regionFromJson(*outline);
        if (!region) return base::passOn(region.error(), where + ": outline");
        if (auto ok = region->check(); !ok) return base::passOn(ok.error(), where + ": outline");
        one.outline = std::move(*region);
    }
    return one;
}

base::Result<Step> stepFromJson(const json& j, const std::string& where) { return StepReader(j, where).read(); }

base::Result<Region> regionFromJson(const json& j)
{
    ObjectReader o(j, "");
    Region r;
    std::string shape;
    o.text("shape", shape, true);
    bool known = false;
    for (const Shape s : geometry::kAllShapes)
        if (shape == geometry::name(s)) r.shape = s, known = true;
    if (!known) {
        if (!shape.empty())
            o.wrong("shape \"" + shape +
                    "\" is not one of: whole, window, rectangle, circle, ring, arc, polygon, polyline, result");
        return base::passOn(o.done().error());
    }
    constexpr double big = 1e6;
    switch (r.shape) {
    case Shape::Whole: break;
    case Shape::Window:
        readPoint(o, "from", r.from), readPoint(o, "to", r.to), o.number("width", r.width, 0, big, true);
        break;
    case Shape::Rectangle: {
        Point size;
        double angle = 0;
        readPoint(o, "centre", r.centre), readPoint(o, "size", size), o.number("angle", angle, -36000, 36000);
        r.width = size.x, r.height = size.y, r.angle = geometry::radians(angle);
        break;
    }
    case Shape::Circle: readPoint(o, "centre", r.centre), o.number("radius", r.outer, 0, big, true); break;
    case Shape::Ring:
        readPoint(o, "centre", r.centre), o.number("inner", r.inner, 0, big, true),
            o.number("outer", r.outer, 0, big, true);
        break;
    case Shape::Arc: {
        double start = 0, sweep = 0;
        readPoint(o, "centre", r.centre), o.number("inner", r.inner, 0, big, true),
            o.number("outer", r.outer, 0, big, true);
        o.number("start", start, -36000, 36000, true), o.number("sweep", sweep, 0, 360, true);
        r.start = geometry::radians(start), r.sweep = geometry::radians(sweep);
        break;
    }
    case Shape::Polyline: o.number("width", r.width, 0, big, true); [[fallthrough]];
    case Shape::Polygon:
        if (const json* points = o.field("points");
            points && points->is_array() && points->size() <= geometry::kMostCorners) {
            for (const json& p : *points) {
                auto one = pointFrom(p, "points");
                if (!one) return base::passOn(one.error());
                r.points.push_back(*one);
            }
        } else {
            o.wrong("points must be a list of at most " + std::to_string(geometry::kMostCorners) + " [x, y]");
        }
        break;
    }
    if (auto ok = o.done(); !ok) return base::passOn(ok.error());
    if (auto ok = r.check(); !ok) return base::passOn(ok.error());
    return r;
}

} // namespace recipe
