// picture_store.h - pictures put aside beside the records, each content once, under the hash of its bytes.
//
// Promise  keep() ok => the whole file stands under the name it gives, even after a power cut; the same picture is
//          written once.
// Fails    Io: cannot be written, named; then nothing half stands there.
#pragma once
#include "base/files.h"
#include "image/capture.h"

namespace records
{

enum class Keep { None, Rejects, All };

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
