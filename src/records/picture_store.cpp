#include "records/picture_store.h"

#include "base/text.h"
#include "image/decode.h"

#include <algorithm>
#include <filesystem>

namespace records
{
namespace fs = std::filesystem;

base::Result<PictureStore::Kept> PictureStore::keep(const image::Picture& picture, const std::string& hash)
{
    std::string made, end = ".png";
    if (picture.file) {
        end = fs::path(picture.fileName).extension().string();
        std::transform(end.begin(), end.end(), end.begin(), [](unsigned char c) { return char(std::tolower(c)); });
    } else {
        const bool real = picture.pixels.format() == image::PixelFormat::Real32;
        auto bytes = real ? image::encodeTiff(picture.pixels) : image::encodePng(picture.pixels);
        if (!bytes) return base::passOn(bytes.error());
        made = std::move(*bytes);
        if (real) end = ".tif";
    }
    const std::string& bytes = picture.file ? *picture.file : made;
    Kept out;
    out.hash = picture.file && !hash.empty() ? hash : base::sha256(bytes);
    const fs::path folder = fs::path(m_folder) / out.hash.substr(0, 2);
    out.path = (folder / (out.hash + end)).string();
    std::error_code error;
    // What stands there is whole: it came by a rename. It counts as put aside now.
    if (fs::exists(out.path, error)) {
        fs::last_write_time(out.path, fs::file_time_type::clock::now(), error);
        return out;
    }
    fs::create_directories(folder, error);
    if (error) return base::fail(base::ErrorCode::Io, "cannot make the folder: " + error.message(), folder.string());
    if (auto ok = base::writeAtomic(m_files, out.path, bytes); !ok) return base::passOn(ok.error());
    return out;
}

void PictureBound::look()
{
    m_files.clear(), m_at.clear();
    m_bytes = 0;
    std::vector<std::pair<fs::file_time_type, File>> found;
    std::error_code error;
    for (auto it = fs::recursive_directory_iterator(m_folder, error);
         !error && it != fs::recursive_directory_iterator(); it.increment(error)) {
        std::error_code one;
        if (it->is_regular_file(one))
            found.push_back({it->last_write_time(one), {it->path().string(), (long long)(it->file_size(one))}});
    }
    std::stable_sort(found.begin(), found.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
    for (auto& [time, file] : found) {
        m_bytes += file.bytes;
        m_files.push_back(std::move(file));
        m_at[m_files.back().path] = std::prev(m_files.end());
    }
}

void PictureBound::added(const std::string& folder, const std::string& path)
{
    if (folder != m_folder) {
        m_folder = folder;
        look(); // with this one
    }
    if (const auto known = m_at.find(path); known != m_at.end()) {
        m_files.splice(m_files.end(), m_files, known->second);
        return;
    }
    std::error_code error;
    const auto size = fs::file_size(path, error);
    if (error) return;
    m_files.push_back({path, (long long)(size)});
    m_at[path] = std::prev(m_files.end());
    m_bytes += (long long)(size);
}

std::size_t PictureBound::enforce(long long most)
{
    std::size_t gone = 0;
    while (m_bytes > most && m_files.size() > 1) {
        const File& oldest = m_files.front();
        std::error_code error;
        fs::remove(oldest.path, error);
        if (error) break; // it is tried again with the next one
        ++gone;
        m_bytes -= oldest.bytes;
        m_at.erase(oldest.path);
        m_files.pop_front();
    }
    return gone;
}

} // namespace records
