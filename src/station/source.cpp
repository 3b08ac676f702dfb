#include "station/source.h"

#include "base/files.h"
#include "image/decode.h"

#include <algorithm>
#include <filesystem>
#include <sstream>

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
    if (pictures.empty())
        return base::fail(base::ErrorCode::NotFound, "the folder holds no picture (.png .jpg .jpeg .tif .tiff)", path);
    std::sort(pictures.begin(), pictures.end());
    return pictures;
}

base::Result<std::unique_ptr<PictureSource>> ListSource::folder(const std::string& path, bool again)
{
    auto pictures = picturesIn(path);
    if (!pictures) return base::passOn(pictures.error());
    return std::unique_ptr<PictureSource>(new ListSource("folder " + path, std::move(*pictures), again));
}

base::Result<std::unique_ptr<PictureSource>> ListSource::list(const std::string& path, bool again)
{
    auto text = base::readFile(path, 64 << 20);
    if (!text) return base::passOn(text.error());
    std::vector<std::string> pictures;
    std::istringstream lines(*text);
    for (std::string line; std::getline(lines, line);) {
        while (!line.empty() && (line.back() == '\r' || line.back() == ' ')) line.pop_back();
        if (line.empty() || line.front() == '#') continue;
        pictures.push_back(fs::path(line).is_absolute() ? line : (fs::path(path).parent_path() / line).string());
    }
    if (pictures.empty()) return base::fail(base::ErrorCode::NotFound, "the list names no picture", path);
    return std::unique_ptr<PictureSource>(new ListSource("list " + path, std::move(pictures), again));
}

std::optional<Shot> ListSource::next(const image::Naming& naming)
{
    for (;;) {
        if (m_at >= m_pictures.size()) {
            if (!m_again || m_pictures.empty()) return {};
            m_at = 0;
            m_given.clear();
        }
        Shot shot;
        shot.id = m_pictures[m_at++];
        if (!naming.empty()) {
            const auto files = image::filesOf(naming, shot.id);
            if (files && !m_given.insert(files->first()).second) continue;
            if (files) shot.id = files->first();
        }
        auto files = image::readCapture(naming, shot.id);
        if (files) shot.files = std::move(*files);
        else shot.error = files.error();
        return shot;
    }
}

std::optional<Shot> SimulatedSource::next(const image::Naming&)
{
    const int n = m_at++;
    Shot shot;
    shot.id = "simulated-" + std::to_string(n + 1);
    shot.ready = std::make_shared<const image::Capture>(image::makeCapture(m_maker(n), shot.id));
    return shot;
}

std::optional<Shot> MemorySource::next(const image::Naming&)
{
    if (m_pictures.empty()) return {};
    Shot shot;
    shot.ready = m_pictures[m_at++ % m_pictures.size()];
    shot.id = shot.ready->id();
    return shot;
}

} // namespace station
