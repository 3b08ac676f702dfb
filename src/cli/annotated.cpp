#include "cli/annotated.h"

#include "base/files.h"
#include "image/decode.h"
#include "report/sheet_painter.h"

#include <QImage>
#include <algorithm>
#include <filesystem>
#include <set>

namespace cli
{
namespace fs = std::filesystem;

std::vector<std::string> leavesFor(const std::vector<std::string>& pictures)
{
    std::set<std::string> taken;
    std::vector<std::string> out;
    for (const std::string& p : pictures) {
        const std::string stem = fs::path(p).stem().string();
        std::string leaf = stem + "-annotated.png";
        for (int n = 2; !taken.insert(leaf).second; ++n) leaf = stem + "-" + std::to_string(n) + "-annotated.png";
        out.push_back(leaf);
    }
    return out;
}
base::Status writeAnnotated(const image::Capture& capture, const recipe::Recipe& recipe,
                            const inspect::PictureResult& result, const std::string& path)
{
    const QImage drawn = report::annotated(capture, recipe, result);
    image::Image copy(drawn.width(), drawn.height(), image::PixelFormat::Colour8);
    for (int y = 0; y < copy.height(); ++y) std::copy_n(drawn.constScanLine(y), copy.rowBytes(), copy.row(y));
    auto png = image::encodePng(copy);
    if (!png) return base::passOn(png.error(), path);
    return base::writeAtomic(base::realFiles(), path, *png);
}

} // namespace cli
