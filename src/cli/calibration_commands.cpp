#include "cli/calibration_commands.h"

#include "base/files.h"
#include "base/parallel.h"
#include "cli/arguments.h"
#include "cli/checked_recipe.h"
#include "cli/commands.h"
#include "image/decode.h"
#include "inspect/calibrating.h"
#include "recipe/calibration_file.h"
#include "recipe/recipe_file.h"
#include "report/target_pdf.h"

#include <algorithm>
#include <filesystem>
#include <iostream>
#include <nlohmann/json.hpp>

namespace cli
{
using nlohmann::ordered_json;

namespace
{
int bad(std::ostream& err, const base::Error& e) { return badInput(err, e); }
int bad(std::ostream& err, const std::string& text)
{
    err << "dikkat-cli: " << text << " (dikkat-cli help says how)\n";
    return kBadInput;
}
// --target, --columns, --rows, --pitch, --unit, --dot
base::Result<inspect::Target> targetFrom(const Arguments& a)
{
    inspect::Target t;
    const std::string kind = a.option("--target");
    if (kind == "dots") t.kind = inspect::TargetKind::Dots;
    else if (kind != "checkerboard")
        return base::fail(base::ErrorCode::InvalidArgument,
                          kind.empty() ? "--target is missing: checkerboard or dots"
                                       : "--target = " + kind + " is not one of: checkerboard, dots");
    for (const char* key : {"--columns", "--rows", "--pitch"})
        if (a.option(key).empty())
            return base::fail(base::ErrorCode::InvalidArgument, std::string(key) + " is missing");
    const auto columns = a.number("--columns", 0, 3, 200), rows = a.number("--rows", 0, 3, 200);
    if (!columns) return base::passOn(columns.error());
    if (!rows) return base::passOn(rows.error());
    const auto pitch = a.real("--pitch", 0, 1e-6, 1e8), dot = a.real("--dot", 0, 0, 1e8);
    if (!pitch) return base::passOn(pitch.error());
    if (!dot) return base::passOn(dot.error());
    const std::string unitName = a.option("--unit").empty() ? "mm" : a.option("--unit");
    const auto unit = base::unitFrom(unitName);
    if (!unit || *unit == base::Unit::Pixel || !base::convertible(*unit, base::Unit::Millimetre))
        return base::fail(base::ErrorCode::InvalidArgument, "--unit = " + unitName + " is not one of: mm, um, in");
    t.columns = int(*columns), t.rows = int(*rows);
    t.pitch = base::converted(*pitch, *unit, base::Unit::Millimetre);
    t.dot = base::converted(*dot, *unit, base::Unit::Millimetre);
    if (auto ok = t.check(); !ok) return base::passOn(ok.error());
    return t;
}
const std::set<std::string> kTargetOptions{"--target", "--columns", "--rows", "--pitch", "--unit", "--dot"};
} // namespace

int calibrate(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err)
{
    std::set<std::string> options = kTargetOptions;
    options.insert({"--json", "--out", "--plane", "--thickness", "--recipe", "--jobs"});
    const auto a = Arguments::read(arguments, options, {});
    if (!a) return bad(err, a.error());
    const auto target = targetFrom(*a);
    if (!target) return bad(err, target.error());
    if (a->words.empty()) return bad(err, "calibrate takes at least one picture");
    const auto thickness = a->real("--thickness", 0, -1e5, 1e5);
    if (!thickness) return bad(err, thickness.error());
    const auto jobs = a->number("--jobs", 0, 0, 1024);
    if (!jobs) return bad(err, jobs.error());
    int plane = -1;
    if (const std::string p = a->option("--plane"); !p.empty()) {
        for (std::size_t i = 0; i < a->words.size(); ++i)
            if (a->words[i] == p || std::filesystem::path(a->words[i]).filename() == p) plane = int(i);
        if (plane < 0) return bad(err, "--plane = " + p + " is not one of the pictures");
    }
    std::vector<std::string> inputs = a->words;
    for (const char* option : {"--json", "--out"}) {
        if (option == std::string("--out") && !a->option("--recipe").empty()) inputs.push_back(a->option("--recipe"));
        if (auto ok = keepsInputs(option, a->option(option), inputs); !ok) return bad(err, ok.error());
    }
    const auto done = inspect::calibrateFrom(*target, a->words, plane, nullptr, nullptr, int(*jobs));
    ordered_json report{{"format", "dikkat-calibration"}, {"version", recipe::kCalibrationVersion}};
    ordered_json pictures = ordered_json::array();
    for (const auto& p : done.pictures) {
        ordered_json one{{"picture", p.name}, {"found", p.found.has_value()}};
        if (p.found) {
            if (!p.found->note.empty()) one["note"] = p.found->note;
            one["points"] = p.found->points.size(), one["whole"] = p.found->whole, one["marked"] = p.found->marked;
            if (p.fit) {
                one["used"] = std::count(p.fit->used.begin(), p.fit->used.end(), char(1));
                one["rms_px"] = p.fit->rms, one["max_px"] = p.fit->max;
            }
        } else {
            one["why"] = p.why;
        }
        pictures.push_back(std::move(one));
    }
    std::ostream& table = a->option("--json") == "-" ? err : out;
    for (const auto& p : done.pictures) {
        table << p.name << ": ";
        if (!p.found) table << "not found: " << p.why << "\n";
        else {
            table << p.found->points.size() << (target->kind == inspect::TargetKind::Dots ? " dots" : " corners");
            if (p.fit) table << ", " << base::toText(p.fit->rms, 3) << " px rms";
            if (!p.found->marked)
                table << ", no orientation mark: x along the columns, origin at the corner nearest the upper left";
            if (!p.found->note.empty()) table << "; " << p.found->note;
            table << "\n";
        }
    }
    int exit = kDone;
    geometry::Calibration c;
    if (done.fit) {
        c = done.fit->calibration;
        if (auto ok = c.setHeight(*thickness, 0); !ok) return bad(err, ok.error());
        const auto& l = c.lens();
        const auto& k = l.camera;
        report["rms_px"] = done.fit->rms, report["max_px"] = done.fit->max;
        report["rms_mm"] = l.rmsMm, report["max_mm"] = l.maxMm;
        report["points"] = done.fit->points, report["dropped"] = done.fit->dropped;
        report["fx"] = k.fx, report["fy"] = k.fy, report["cx"] = k.cx, report["cy"] = k.cy;
        report["k1"] = k.k1, report["k2"] = k.k2, report["p1"] = k.p1, report["p2"] = k.p2, report["k3"] = k.k3;
        report["scale"] = c.mmPerPixel();
        report["scale_unit"] = "mm/px";
        report["tilt_deg"] = c.tilt();
        report["lens_distance_mm"] = c.knownDistance();
        report["focal_length_known"] = done.fit->focalKnown;
        report["covered_share"] = c.coveredShare();
        report["plane"] = done.pictures[std::size_t(done.plane)].name;
        report["sentence"] = inspect::calibrationSentence(c);
        table << done.fit->points << " points, " << base::toText(done.fit->rms, 4) << " px rms, "
              << base::toText(done.fit->max, 3) << " px at most; " << base::shortest(c.mmPerPixel()) << " mm/px; tilt "
              << base::toText(c.tilt(), 2) << "°\n"
              << inspect::calibrationSentence(c) << "\n";
    } else {
        err << "dikkat-cli: " << done.why << "\n";
        exit = kBadInput;
    }
    report["pictures"] = pictures;
    if (done.fit) report["calibration"] = recipe::calibrationToJson(c);
    const std::string text = report.dump(2, ' ', false, nlohmann::json::error_handler_t::replace) + "\n";
    if (const std::string json = a->option("--json"); json == "-") out << text;
    else if (!json.empty())
        if (auto ok = base::writeAtomic(base::realFiles(), json, text); !ok) return bad(err, ok.error());
    if (!done.fit) return exit;
    if (const std::string file = a->option("--out"); !file.empty())
        if (auto ok = base::writeAtomic(base::realFiles(), file, text); !ok) return bad(err, ok.error());
    if (const std::string file = a->option("--recipe"); !file.empty()) {
        auto r = recipe::load(file);
        if (!r) return bad(err, r.error());
        *r = recipe::recalibrated(*r, c, true);
        if (auto ok = recipe::save(*r, file); !ok) return bad(err, ok.error());
        table << file << ": calibration taken, limits in px converted\n";
    }
    return exit;
}

int mapPoints(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err)
{
    const auto a = Arguments::read(arguments, {"--to"}, {});
    if (!a) return bad(err, a.error());
    const std::string to = a->option("--to");
    if (to != "mm" && to != "px")
        return bad(err, to.empty() ? "--to is missing: mm or px" : "--to = " + to + " is not one of: mm, px");
    if (a->words.size() < 2) return bad(err, "map takes a calibration and at least one X,Y");
    const auto c = recipe::loadCalibration(a->words[0]);
    if (!c) return bad(err, c.error());
    for (std::size_t i = 1; i < a->words.size(); ++i) {
        const std::string& w = a->words[i];
        geometry::Point p;
        const char* end = w.data() + w.size();
        const auto x = std::from_chars(w.data(), end, p.x);
        const bool comma = x.ec == std::errc() && x.ptr != end && *x.ptr == ',';
        const auto y = comma ? std::from_chars(x.ptr + 1, end, p.y) : x;
        if (!comma || y.ec != std::errc() || y.ptr != end || !(std::abs(p.x) <= 1e9) || !(std::abs(p.y) <= 1e9))
            return bad(err, "\"" + w + "\" is not X,Y: two numbers with a comma between them, up to 1e9");
        const geometry::Point q = to == "mm" ? c->mm(p) : c->fromMm(p);
        out << base::shortest(q.x) << "," << base::shortest(q.y);
        if (!c->covers(to == "mm" ? p : q))
            err << "dikkat-cli: " << w << " lies outside the area the calibration was proved in\n";
        out << "\n";
    }
    return kDone;
}

int makeTarget(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err)
{
    const auto a = Arguments::read(arguments, kTargetOptions, {"--plain"});
    if (!a) return bad(err, a.error());
    const auto target = targetFrom(*a);
    if (!target) return bad(err, target.error());
    if (a->words.size() != 1) return bad(err, "target takes one file");
    if (auto ok = report::writeTargetPdf(a->words[0], *target, !a->options.count("--plain")); !ok)
        return bad(err, ok.error());
    const auto page = report::targetPage(*target);
    out << a->words[0] << " written: " << base::toText(page.width, 1) << " × " << base::toText(page.height, 1)
        << " mm; print it at 100 %\n";
    return kDone;
}

} // namespace cli
