#include "station/source.h"

#include "image/decode.h"

#include <algorithm>
#include <filesystem>

namespace station
{
namespace fs = std::filesystem;

ListSource::ListSource(std::string name, std::vector<std::string> pictures, bool again)
    : m_name(std::move(name)), m_pictures(std::move(pictures)), m_again(again)
{
}

base::Result<std::vector<std::string>> ListSource::picturesIn(const std::string& path)
{
    std::error_code error;
    std::vector<std::string> pictures;
    fs::directory_iterator it(path, error);
    for (; !error && it != fs::directory_iterator(); it.increment(error))
        if (std::error_code ignored; it->is_regular_file(ignored) && image::looksLikePicture(it->path().string()))
            pictures.push_back(it->path().string());
    if (error) return base::fail(base::ErrorCode::Io, "the folder cannot be read: " + error.message(), path);
    if (pictures.empty()) return base::fail(base::ErrorCode::NotFound, "the folder holds no picture (.png .jpg .jpeg .tif .tiff)", path);
    std::sort(pictures.begin(), pictures.end());
    return pictures;
}

base::Result<std::unique_ptr<PictureSource>> ListSource::folder(const std::string& path, bool again)
{
    auto pictures = picturesIn(path);
    if (!pictures) return base::passOn(pictures.error());
    return std::unique_ptr<PictureSource>(new ListSource("folder " + path, std::move(*pictures), again));
}

base::Result<std::optional<image::Capture>> ListSource::next()
{
    if (m_at >= m_pictures.size()) {
        if (!m_again || m_pictures.empty()) return std::optional<image::Capture>();
        m_at = 0;
    }
    auto capture = image::loadCapture(m_pictures[m_at++]);
    if (!capture) return base::passOn(capture.error());
    return std::optional<image::Capture>(std::move(*capture));
}

base::Result<std::optional<image::Capture>> SimulatedSource::next()
{
    const int n = m_at++;
    return std::optional<image::Capture>(image::makeCapture(m_maker(n), "simulated-" + std::to_string(n + 1)));
}

} // namespace station
