#include "cli/drawing_commands.h"

#include "base/files.h"
#include "cli/annotated.h"
#include "cli/arguments.h"
#include "cli/checked_recipe.h"
#include "cli/json_results.h"
#include "drawing/dxf.h"
#include "image/capture_files.h"
#include "inspect/inspect.h"
#include "inspect/tracing.h"
#include "recipe/calibration_file.h"
#include "recipe/drawing_file.h"
#include "recipe/recipe_file.h"

#include <algorithm>
#include <filesystem>

namespace cli
{
namespace fs = std::filesystem;
using base::ErrorCode;
using base::fail;
using drawing::Drawing;
using nlohmann::ordered_json;

namespace
{
const std::set<std::string> kReading{"--unit", "--layers-off"};

std::vector<std::string> parted(const std::string& text)
{
    std::vector<std::string> out;
    std::string one;
    for (const char c : text + ",") {
        if (c != ',') {
            one += c;
            continue;
        }
        if (!one.empty()) out.push_back(one);
        one.clear();
    }
    return out;
}
base::Result<recipe::DrawingSettings> readingOf(const Arguments& a)
{
    recipe::DrawingSettings s;
    s.layersOff = parted(a.option("--layers-off"));
    if (const std::string unit = a.option("--unit"); !unit.empty()) {
        auto u = recipe::lengthUnitOf(unit, "--unit");
        if (!u) return base::passOn(u.error());
        s.unit = *u;
    }
    return s;
}
base::Result<recipe::Asset> drawingFrom(const std::string& path, const recipe::DrawingSettings& s)
{
    auto bytes = base::readFile(path);
    if (!bytes) return base::passOn(bytes.error());
    auto asset = recipe::makeDrawing(
        s, {"", fs::path(path).filename().string(), std::make_shared<const std::string>(std::move(*bytes))}, path);
    if (!asset) return base::passOn(asset.error());
    for (const std::string& off : s.layersOff)
        if (std::none_of(asset->drawing->layers.begin(), asset->drawing->layers.end(),
                         [&](const auto& l) { return l.name == off; })) {
            std::string there;
            for (const auto& l : asset->drawing->layers) there += (there.empty() ? "" : ", ") + l.name;
            return fail(ErrorCode::NotFound, "--layers-off: there is no layer \"" + off + "\"; there are " + there,
                        path);
        }
    return asset;
}
base::Result<geometry::Calibration> calibrationOf(const Arguments& a)
{
    const std::string file = a.option("--calibration"), factor = a.option("--mm-per-px");
    if (file.empty() == factor.empty())
        return fail(ErrorCode::InvalidArgument, "either --mm-per-px F or --calibration FILE must be given");
    if (!file.empty()) return recipe::loadCalibration(file);
    const auto f = a.real("--mm-per-px", 0, 1e-6, 1000);
    if (!f) return base::passOn(f.error());
    return geometry::Calibration::factor(*f, "stated");
}
ordered_json pointJson(geometry::Point p)
{
    const auto d = drawing::drawn(p);
    const auto tidy = [](double v) { return std::round(v * 1e6) / 1e6 + 0.0; };
    return ordered_json::array({tidy(d.x), tidy(d.y)});
}
ordered_json describedJson(const recipe::Asset& asset)
{
    const Drawing& d = *asset.drawing;
    const drawing::Box box = d.box();
    ordered_json j{{"format", "dikkat-drawing"}, {"version", 1}};
    j["unit"] = d.unit == drawing::LengthUnit::Unstated ? "not stated" : recipe::key(d.unit);
    j["mm_per_unit"] = d.scale;
    j["entities"] = ordered_json::object();
    for (const auto& [type, count] : d.entities) j["entities"][type] = count;
    j["lines_and_arcs"] = d.elements.size();
    j["box_mm"] = {box.left, box.bottom, box.right, box.top};
    j["layers"] = ordered_json::array();
    for (const auto& l : d.layers)
        j["layers"].push_back({{"name", l.name}, {"lines_and_arcs", l.elements}, {"off_in_file", l.off}});
    j["not_read"] = ordered_json::array();
    for (const auto& n : d.notRead)
        j["not_read"].push_back({{"type", n.type}, {"layer", n.layer}, {"count", n.count}, {"why", n.why}});
    if (!asset.outline) {
        j["outlines"] = ordered_json::array();
        j["no_outline"] = asset.noOutline;
        return j;
    }
    const drawing::Outline& o = *asset.outline;
    j["drawn_twice"] = o.doubles();
    j["open_ends"] = o.open().size();
    j["outlines"] = ordered_json::array();
    for (const auto& l : o.loops()) {
        ordered_json one{
            {"hole", l.hole}, {"length_mm", l.length}, {"area_mm2", l.area}, {"centre", pointJson(l.centre)}};
        if (l.round) one["diameter_mm"] = 2 * l.round->radius;
        one["elements"] = ordered_json::array();
        for (const auto& s : l.sides)
            if (one["elements"].size() < 1000) one["elements"].push_back(s.element + 1);
        j["outlines"].push_back(std::move(one));
    }
    return j;
}
} // namespace

bool isDrawing(const std::vector<std::string>& arguments)
{
    for (std::size_t i = 1; i < arguments.size(); ++i) {
        if (arguments[i].size() > 1 && arguments[i][0] == '-') return false;
        std::string end = fs::path(arguments[i]).extension().string();
        std::transform(end.begin(), end.end(), end.begin(), [](unsigned char c) { return char(std::tolower(c)); });
        return end == ".dxf";
    }
    return false;
}

int describeDrawing(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err)
{
    std::set<std::string> options = kReading;
    options.insert("--json");
    const auto a = Arguments::read(arguments, options, {});
    if (!a) return badInput(err, a.error());
    if (a->words.size() != 1) return badInput(err, {ErrorCode::InvalidArgument, "drawing takes one DXF file", ""});
    if (auto ok = keepsInputs("--json", a->option("--json"), a->words); !ok) return badInput(err, ok.error());
    const auto s = readingOf(*a);
    if (!s) return badInput(err, s.error());
    const auto asset = drawingFrom(a->words[0], *s);
    if (!asset) return badInput(err, asset.error());
    std::ostream& text = a->option("--json") == "-" ? err : out;
    const Drawing& d = *asset->drawing;
    const drawing::Box box = d.box();
    const auto mm = [](double v) { return base::toText(v, 3); };
    text << "unit: " << drawing::name(d.unit) << (d.unit == drawing::LengthUnit::Unstated ? ", taken for mm" : "")
         << "\n";
    text << "size: " << mm(box.width()) << " × " << mm(box.height()) << " mm, from " << mm(box.left) << ", "
         << mm(box.bottom) << " to " << mm(box.right) << ", " << mm(box.top) << "\n";
    for (const auto& [type, count] : d.entities) text << "  " << count << " " << type << "\n";
    for (const auto& l : d.layers)
        text << "layer " << l.name << ": " << l.elements << " lines and arcs" << (l.off ? " (off in the file)" : "")
             << "\n";
    if (asset->outline) {
        int holes = 0;
        for (const auto& l : asset->outline->loops()) holes += l.hole;
        text << int(asset->outline->loops().size()) - holes << " outlines, " << holes << " holes; "
             << asset->outline->open().size() << " lines and arcs close with nothing, " << asset->outline->doubles()
             << " were drawn twice\n";
    } else {
        text << "no outline: " << asset->noOutline << "\n";
    }
    for (const auto& n : d.notRead)
        text << "not read: " << n.count << " " << n.type << " on layer " << n.layer << ": " << n.why << "\n";
    return writeJson(a->option("--json"), describedJson(*asset), out, err);
}

namespace
{
struct Wanted {
    double tolerance = 0.1;
    std::string by = "all_edges";
    int first = 0, second = 0, parts = 0;
    std::optional<bool> dark;
};
base::Result<Wanted> wantedOf(const Arguments& a)
{
    Wanted w;
    const auto tolerance = a.real("--tolerance", 0.1, 1e-6, 50);
    if (!tolerance) return base::passOn(tolerance.error());
    w.tolerance = *tolerance;
    const auto parts = a.number("--parts", 0, 0, 200);
    if (!parts) return base::passOn(parts.error());
    w.parts = int(*parts);
    if (const std::string m = a.option("--material"); !m.empty()) {
        if (m != "dark" && m != "bright")
            return fail(ErrorCode::InvalidArgument, "--material = " + m + " is not one of: dark, bright");
        w.dark = m == "dark";
    }
    const std::string datum = a.option("--datum");
    if (datum.empty() || datum == "all") return w;
    const auto colon = datum.find(':');
    const std::string kind = datum.substr(0, colon);
    const auto numbers = colon == std::string::npos ? std::vector<std::string>{} : parted(datum.substr(colon + 1));
    const auto whole = [](const std::string& t, int& v) {
        const auto r = std::from_chars(t.data(), t.data() + t.size(), v);
        return r.ec == std::errc() && r.ptr == t.data() + t.size() && v > 0;
    };
    if ((kind != "holes" && kind != "edge") || numbers.size() != 2 || !whole(numbers[0], w.first) ||
        !whole(numbers[1], w.second))
        return fail(ErrorCode::InvalidArgument,
                    "--datum = " + datum + " is not one of: all, holes:A,B, edge:A,B with A and B numbers of elements");
    w.by = kind == "holes" ? "two_holes" : "edge_point";
    return w;
}
// A recipe that lays the drawing on every part and compares.
base::Result<recipe::Recipe> comparing(recipe::Asset drawing, const geometry::Calibration& calibration, const Wanted& w,
                                       bool dark)
{
    recipe::Recipe r;
    r.name = "Against " + drawing.files.front().name;
    r.calibration = calibration;
    r.drawing = std::move(drawing);
    const auto add = [&](const char* kind, nlohmann::json params) -> base::Status {
        const recipe::StepKind& k = *recipe::findKind(kind);
        recipe::Step s = recipe::makeStep(r, k);
        auto p = k.paramsFromJson(params);
        if (!p) return base::passOn(p.error());
        s.params = std::move(*p);
        s.checks.clear();
        r.steps.push_back(std::move(s));
        return {};
    };
    const char* material = dark ? "dark" : "bright";
    if (auto ok = add("drawing_datum", {{"material", material},
                                        {"finds", w.parts},
                                        {"expected", w.parts},
                                        {"by", w.by},
                                        {"first", w.first},
                                        {"second", w.second}});
        !ok)
        return base::passOn(ok.error());
    if (auto ok = add("outline_profile", {{"objects", material}, {"zone", 2 * w.tolerance}}); !ok)
        return base::passOn(ok.error());
    r.steps[0].letter = "A";
    recipe::Step& outline = r.steps[1];
    outline.datum = r.steps[0].id;
    int balloon = 1;
    for (const auto& [key, called, high] : {std::tuple{"profile", "Profile", 2 * w.tolerance},
                                            {"missing", "Drawn, not found", 0.0},
                                            {"surplus", "Found, not drawn", 0.0}}) {
        recipe::Check c;
        c.output = key;
        c.name = called;
        c.balloon = balloon++;
        c.limits.high = high;
        c.limits.unit = std::string(key) == "profile" ? base::Unit::Millimetre : base::Unit::None;
        outline.checks.push_back(c);
    }
    return r;
}
double numberOf(const inspect::StepResult& s, const char* key)
{
    const auto* v = s.output(key);
    return v && !v->values.empty() ? v->values[0] : 0;
}
ordered_json itemJson(const recipe::Recipe& r, const inspect::ItemResult& item)
{
    ordered_json j{{"item", item.number}, {"verdict", inspect::name(item.outcome)}};
    const auto* laid = item.step(r.steps[0].id);
    const auto* outline = item.step(r.steps[1].id);
    if (!laid || laid->state != inspect::State::Ok) {
        j["reason"] = laid ? laid->reason : item.reason;
        return j;
    }
    j["drawing"] = {{"x_px", numberOf(*laid, "x")},
                    {"y_px", numberOf(*laid, "y")},
                    {"angle_deg", numberOf(*laid, "angle")},
                    {"rms_mm", numberOf(*laid, "rms")},
                    {"edges_found_percent", numberOf(*laid, "share")},
                    {"scale", numberOf(*laid, "scale")}};
    if (!laid->note.empty()) j["drawing"]["note"] = laid->note;
    if (!outline || outline->state != inspect::State::Ok) {
        j["reason"] = outline ? outline->reason : "not run";
        return j;
    }
    j["profile_mm"] = numberOf(*outline, "profile");
    j["most_mm"] = numberOf(*outline, "most");
    j["least_mm"] = numberOf(*outline, "least");
    j["covered_percent"] = numberOf(*outline, "covered");
    j["beyond"] = ordered_json::array();
    const auto& worst = outline->output("worst")->values;
    const auto& lengths = outline->output("lengths")->values;
    const auto places = outline->elementPlaces();
    for (std::size_t i = 0; i < worst.size(); ++i)
        j["beyond"].push_back({{"at_mm", outline->elementName("worst", i)},
                               {"at_px", {places[i].x, places[i].y}},
                               {"worst_mm", worst[i]},
                               {"length_mm", lengths[i]}});
    for (const auto& [list, key] : {std::pair{"missing_sizes", "missing"}, {"surplus_sizes", "surplus"}}) {
        j[key] = ordered_json::array();
        const auto& sizes = outline->output(list)->values;
        for (std::size_t i = 0; i < sizes.size(); ++i)
            j[key].push_back({{"what", outline->elementName(list, i)}, {"size_mm", sizes[i]}});
    }
    return j;
}
void sayItem(std::ostream& text, const recipe::Recipe& r, const std::string& picture, const inspect::ItemResult& item)
{
    const auto* laid = item.step(r.steps[0].id);
    const auto* outline = item.step(r.steps[1].id);
    text << fs::path(picture).filename().string() << " item " << item.number << ": " << item.word << "; ";
    if (!laid || laid->state != inspect::State::Ok) text << (laid ? laid->reason : item.reason) << "\n";
    else if (!outline || outline->state != inspect::State::Ok) text << (outline ? outline->reason : "") << "\n";
    else {
        text << "profile " << base::toText(numberOf(*outline, "profile"), 3) << " mm ("
             << base::toText(numberOf(*outline, "least"), 3) << " to " << base::toText(numberOf(*outline, "most"), 3)
             << "), " << numberOf(*outline, "beyond") << " places beyond, " << numberOf(*outline, "missing")
             << " missing, " << numberOf(*outline, "surplus") << " not drawn";
        for (const std::string& note : {laid->note, outline->note})
            if (!note.empty()) text << "; " << note;
        text << "\n";
    }
}
} // namespace

int compareWithDrawing(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err)
{
    std::set<std::string> options = kReading;
    options.insert(
        {"--mm-per-px", "--calibration", "--tolerance", "--datum", "--json", "--annotate", "--material", "--parts"});
    const auto a = Arguments::read(arguments, options, {});
    if (!a) return badInput(err, a.error());
    if (a->words.size() < 2)
        return badInput(err, {ErrorCode::InvalidArgument, "compare takes a DXF file and at least one picture", ""});
    const std::vector<std::string> pictures(a->words.begin() + 1, a->words.end());
    const std::string annotate = a->option("--annotate");
    const auto leaves = leavesFor(pictures);
    std::vector<std::string> inputs = a->words;
    if (!a->option("--calibration").empty()) inputs.push_back(a->option("--calibration"));
    if (auto ok = keepsInputs("--json", a->option("--json"), inputs); !ok) return badInput(err, ok.error());
    if (!annotate.empty()) {
        for (const std::string& leaf : leaves)
            if (auto ok = keepsInputs("--annotate", (fs::path(annotate) / leaf).string(), inputs); !ok)
                return badInput(err, ok.error());
        std::error_code error;
        fs::create_directories(annotate, error);
        if (error) return badInput(err, {ErrorCode::Io, "cannot make the folder: " + error.message(), annotate});
    }
    const auto calibration = calibrationOf(*a);
    if (!calibration) return badInput(err, calibration.error());
    const auto wanted = wantedOf(*a);
    if (!wanted) return badInput(err, wanted.error());
    const auto settings = readingOf(*a);
    if (!settings) return badInput(err, settings.error());
    auto asset = drawingFrom(a->words[0], *settings);
    if (!asset) return badInput(err, asset.error());
    if (!asset->outline) return badInput(err, {ErrorCode::NotFound, asset->noOutline, a->words[0]});
    for (const int element : {wanted->first, wanted->second})
        if (std::size_t(element) > asset->drawing->elements.size())
            return badInput(err, {ErrorCode::OutOfRange,
                                  "--datum: element " + std::to_string(element) + " is not in 1 .. " +
                                      std::to_string(asset->drawing->elements.size()),
                                  ""});
    ordered_json json{
        {"format", "dikkat-comparison"}, {"version", 1}, {"drawing", a->words[0]}, {"tolerance_mm", wanted->tolerance}};
    json["pictures"] = ordered_json::array();
    std::ostream& text = a->option("--json") == "-" ? err : out;
    int code = kDone;
    std::optional<inspect::Prepared> prepared[2]; // bright, dark
    for (std::size_t i = 0; i < pictures.size(); ++i) {
        auto capture = image::loadCapture(pictures[i]);
        if (!capture) {
            err << "dikkat-cli: " << capture.error().text() << "\n";
            code = kBadInput;
            continue;
        }
        const bool dark = wanted->dark.value_or(inspect::partIsDark(capture->first().grey()));
        auto& of = prepared[dark];
        if (!of) {
            auto r = comparing(*asset, *calibration, *wanted, dark);
            if (!r) return badInput(err, r.error());
            auto made = inspect::Prepared::make(std::move(*r));
            if (!made) return badInput(err, made.error());
            of = std::move(*made);
        }
        const auto result = inspect::evaluate(*of, *capture);
        ordered_json one{{"picture", pictures[i]},
                         {"material", dark ? "dark" : "bright"},
                         {"verdict", inspect::name(result.outcome())}};
        one["items"] = ordered_json::array();
        for (const auto& item : result.items) {
            one["items"].push_back(itemJson(of->recipe(), item));
            sayItem(text, of->recipe(), pictures[i], item);
        }
        json["pictures"].push_back(std::move(one));
        if (!result.accepted() && code == kDone) code = kSomeRejected;
        if (!annotate.empty())
            if (auto ok = writeAnnotated(*capture, of->recipe(), result, (fs::path(annotate) / leaves[i]).string());
                !ok)
                return badInput(err, ok.error());
    }
    const int written = writeJson(a->option("--json"), json, out, err);
    return written == kDone ? code : written;
}

int tracePart(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err)
{
    const auto a = Arguments::read(
        arguments, {"--mm-per-px", "--calibration", "--dxf", "--tolerance", "--round", "--json", "--material"}, {});
    if (!a) return badInput(err, a.error());
    if (a->words.size() != 1) return badInput(err, {ErrorCode::InvalidArgument, "trace takes one picture", ""});
    const std::string file = a->option("--dxf");
    if (file.empty()) return badInput(err, {ErrorCode::InvalidArgument, "--dxf is missing: the file to write", ""});
    std::vector<std::string> inputs = a->words;
    if (!a->option("--calibration").empty()) inputs.push_back(a->option("--calibration"));
    for (const char* option : {"--dxf", "--json"})
        if (auto ok = keepsInputs(option, a->option(option), inputs); !ok) return badInput(err, ok.error());
    const auto calibration = calibrationOf(*a);
    if (!calibration) return badInput(err, calibration.error());
    const auto tolerance = a->real("--tolerance", 0, 1e-6, 100), grain = a->real("--round", 0, 1e-6, 100);
    if (!tolerance) return badInput(err, tolerance.error());
    if (!grain) return badInput(err, grain.error());
    auto capture = image::loadCapture(a->words[0]);
    if (!capture) return badInput(err, capture.error());
    inspect::TraceSettings settings;
    settings.toleranceMm = *tolerance;
    if (const std::string m = a->option("--material"); !m.empty()) {
        if (m != "dark" && m != "bright")
            return badInput(err,
                            {ErrorCode::InvalidArgument, "--material = " + m + " is not one of: dark, bright", ""});
        settings.dark = m == "dark";
    }
    auto traced = inspect::trace(capture->first().grey(), *calibration, settings);
    if (!traced) return badInput(err, {traced.error().code, traced.error().text(), a->words[0]});
    if (*grain > 0) inspect::roundNominals(*traced, *grain, *grain / 2);
    const auto bytes = drawing::writeDxf(traced->drawing);
    if (!bytes) return badInput(err, bytes.error());
    if (auto ok = base::writeAtomic(base::realFiles(), file, *bytes); !ok) return badInput(err, ok.error());
    ordered_json json{{"format", "dikkat-trace"},
                      {"version", 1},
                      {"tolerance_mm", traced->toleranceMm},
                      {"material", traced->dark ? "dark" : "bright"}};
    json["outlines"] = ordered_json::array();
    std::ostream& text = a->option("--json") == "-" ? err : out;
    int lines = 0, arcs = 0, circles = 0;
    double worst = 0;
    for (const auto& o : traced->outlines) {
        ordered_json one{{"hole", o.hole}, {"rms_mm", o.rmsMm}, {"worst_mm", o.worstMm}};
        worst = std::max(worst, o.worstMm);
        one["elements"] = ordered_json::array();
        for (const int k : o.elements) {
            const auto& e = traced->drawing.elements[std::size_t(k)];
            (e.whole() ? circles : e.arc ? arcs : lines)++;
            ordered_json el{{"number", k + 1}, {"is", e.whole() ? "circle" : e.arc ? "arc" : "line"}};
            if (e.arc) el["centre"] = pointJson(e.centre), el["radius_mm"] = e.radius;
            if (!e.whole()) el["from"] = pointJson(e.from), el["to"] = pointJson(e.to);
            one["elements"].push_back(std::move(el));
        }
        json["outlines"].push_back(std::move(one));
    }
    text << file << ": " << lines << " lines, " << arcs << " arcs, " << circles << " circles in "
         << traced->outlines.size() << " outlines; no point farther off than " << base::toText(worst, 4) << " mm\n";
    return writeJson(a->option("--json"), json, out, err);
}

} // namespace cli
