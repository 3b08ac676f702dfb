// picture_store.h - pictures put aside beside the records, each content once, under the hash of its bytes.
//
// Promise  keep() ok => the whole file stands under the name it gives, even after a power cut; the same picture is
//          written once.
// Fails    Io: cannot be written, named; then nothing half stands there.
#pragma once
#include "base/files.h"
#include "image/capture.h"

#include <list>
#include <unordered_map>

namespace records
{

enum class Keep { None, Rejects, All, EveryNth }; // EveryNth: rejects, and one of so many besides

// Keeps the pictures of a store within a size: what was put aside or asked for longest ago goes first. Values in the log
// are never touched; whoever looks for such a picture is told that it is gone.
//
// Threads  one at a time.
class PictureBound
{
public:
    // Of this folder from now on; what lies there already is looked through once.
    void added(const std::string& folder, const std::string& file);
    // Removes until at most so many bytes stand there; the newest always stays. What went.
    std::size_t enforce(long long most);
    long long bytes() const { return m_bytes; }

private:
    void look();
    struct File {
        std::string path;
        long long bytes = 0;
    };
    std::string m_folder;
    std::list<File> m_files; // oldest first
    std::unordered_map<std::string, std::list<File>::iterator> m_at;
    long long m_bytes = 0;
};

class PictureStore
{
public:
    PictureStore(base::FileSystem& files, std::string folder) : m_files(files), m_folder(std::move(folder)) {}
    struct Kept {
        std::string path, hash;
    };
    // `hash` of the picture's file, when it is known already.
    base::Result<Kept> keep(const image::Picture& picture, const std::string& hash = {});
    const std::string& folder() const { return m_folder; }

private:
    base::FileSystem& m_files;
    std::string m_folder;
};

} // namespace records
