#include "inspect/calibrating.h"

#include "base/parallel.h"
#include "image/decode.h"

#include <algorithm>

namespace inspect
{
using geometry::Calibration;
using geometry::Point;

Calibrating calibrateFrom(const vision::Target& target, const std::vector<std::string>& pictures, int plane,
                          std::atomic<int>* progress, const std::atomic<bool>* cancel, int threads)
{
    Calibrating out;
    out.pictures.resize(pictures.size());
    base::parallelFor(int(pictures.size()), threads, [&](int n) {
        if (cancel && *cancel) return;
        TargetPicture& p = out.pictures[std::size_t(n)];
        p.name = pictures[std::size_t(n)];
        const auto capture = image::loadCapture(p.name);
        if (!capture) {
            p.why = capture.error().text();
        } else {
            p.width = capture->width(), p.height = capture->rows();
            auto found = vision::findTarget(capture->first().grey(), target);
            if (found) p.found = std::move(*found);
            else p.why = found.error().message;
        }
        if (progress) ++*progress;
    });
    if (cancel && *cancel) {
        out.cancelled = true, out.why = "cancelled";
        return out;
    }
    std::vector<vision::TargetView> views;
    std::vector<std::size_t> index;
    for (std::size_t i = 0; i < out.pictures.size(); ++i) {
        const TargetPicture& p = out.pictures[i];
        if (!p.found) continue;
        if (int(i) == plane || (plane < 0 && out.plane < 0)) out.plane = int(i);
        views.push_back({p.name, p.width, p.height, p.found->points});
        index.push_back(i);
    }
    if (views.empty()) {
        out.why = "the target was found in none of the pictures";
        return out;
    }
    if (out.plane < 0) {
        out.why = "the target was not found in the picture of the measuring plane (" +
                  out.pictures[std::size_t(plane)].why + ")";
        return out;
    }
    const int planeView = int(std::find(index.begin(), index.end(), std::size_t(out.plane)) - index.begin());
    auto fit = vision::calibrate(target, views, planeView);
    if (!fit) {
        out.why = fit.error().message;
        return out;
    }
    for (std::size_t k = 0; k < index.size(); ++k) out.pictures[index[k]].fit = fit->views[k];
    const std::string what = std::to_string(views.size()) + (views.size() == 1 ? " picture of a " : " pictures of a ") +
                             (target.kind == vision::TargetKind::Checkerboard ? "checkerboard " : "dot grid ") +
                             std::to_string(target.columns) + " × " + std::to_string(target.rows) + ", pitch " +
                             base::shortest(target.pitch) + " mm";
    fit->calibration = Calibration::lens(fit->calibration.lens(), what);
    out.fit = std::move(*fit);
    return out;
}

std::string calibrationSentence(const Calibration& c)
{
    if (c.kind() == Calibration::Kind::None) return "Not calibrated: lengths are in px.";
    if (c.kind() == Calibration::Kind::Factor)
        return "One factor for the whole picture, " + base::shortest(c.mmPerPixel()) +
               " mm/px; tilt and lens are not corrected and nothing proves it.";
    const auto& l = c.lens();
    // Twice the root of the mean square holds 86 % of 2-D residuals' size; what averages over many points does better.
    std::string s = "Good for ±" + base::toText(std::max(0.0001, 2 * l.rmsMm), l.rmsMm < 0.001 ? 4 : 3) +
                    " mm inside the marked area, " + base::toText(100 * c.coveredShare(), 0) + " % of the picture";
    // Which of the nine fields of the picture are left out.
    const char* const across[] = {"left", "middle", "right"};
    const char* const down[] = {"upper", "middle", "lower"};
    std::vector<std::string> open;
    for (int y = 0; y < 3; ++y)
        for (int x = 0; x < 3; ++x) {
            int in = 0;
            for (int j = 0; j < 4; ++j)
                for (int i = 0; i < 4; ++i)
                    in += c.covers({(x + (i + 0.5) / 4) * l.width / 3.0, (y + (j + 0.5) / 4) * l.height / 3.0});
            if (in >= 8) continue;
            open.push_back(x == 1 && y == 1 ? "the middle"
                           : x == 1         ? std::string("the ") + down[y] + " middle"
                           : y == 1         ? std::string("the ") + across[x]
                                            : std::string("the ") + down[y] + " " + across[x]);
        }
    if (open.empty()) return s + ".";
    s += "; ";
    for (std::size_t i = 0; i < open.size(); ++i) s += (i == 0 ? "" : i + 1 == open.size() ? " and " : ", ") + open[i];
    return s + (open.size() == 1 ? " is" : " are") + " uncovered.";
}

std::string otherThanReference(const image::Capture& reference, const image::Capture& capture)
{
    const auto size = [](const image::Capture& c) {
        return std::to_string(c.width()) + "×" + std::to_string(c.rows()) + " px";
    };
    if (reference.width() != capture.width() || reference.rows() != capture.rows())
        return "the picture is " + size(capture) + ", the reference " + size(reference);
    for (const image::Picture& p : capture.pictures()) {
        const image::Picture* r = reference.find(p.key);
        if (!r) continue;
        const auto kind = [](const image::Picture& x) {
            return x.content == image::Content::Height       ? "heights"
                   : image::channels(x.pixels.format()) == 3 ? "colour"
                                                             : "grey";
        };
        const auto bits = [](const image::Picture& x) { return 8 * image::bytesPerSample(x.pixels.format()); };
        const std::string which = p.key.empty() ? "the picture" : "picture \"" + p.key + "\"";
        if (std::string(kind(p)) != kind(*r)) return which + " is " + kind(p) + ", the reference " + kind(*r);
        if (bits(p) != bits(*r))
            return which + " has " + std::to_string(bits(p)) + " bits, the reference " + std::to_string(bits(*r));
    }
    return {};
}

std::string pictureWarning(const Calibration& c, const image::Capture& capture, bool lookForTarget)
{
    const int w = capture.width(), h = capture.rows();
    if (c.bends() && (w != c.lens().width || h != c.lens().height))
        return "the picture is " + std::to_string(w) + "×" + std::to_string(h) + " px, the calibration is for " +
               std::to_string(c.lens().width) + "×" + std::to_string(c.lens().height) + " px";
    if (lookForTarget && vision::looksLikeTarget(capture.first().grey()))
        return "this picture shows a calibration target, not a part";
    return {};
}

} // namespace inspect
