#include "recipe/zip.h"

#include <string>
#include <zip.h>

namespace recipe
{
using base::ErrorCode;
using base::fail;

namespace
{
constexpr zip_uint64_t kMost = 1ULL << 30, kMostText = 32ULL << 20; // as kLargestRecipeText

std::string textOf(zip_error_t& e)
{
    std::string s = zip_error_strerror(&e);
    zip_error_fini(&e);
    return s;
}
} // namespace

bool isZip(const std::string& bytes) { return bytes.compare(0, 2, "PK") == 0; }

base::Result<std::map<std::string, std::string>> readZip(const std::string& bytes)
{
    zip_error_t error;
    zip_error_init(&error);
    zip_source_t* source = zip_source_buffer_create(bytes.data(), bytes.size(), 0, &error);
    if (!source) return fail(ErrorCode::Corrupt, textOf(error));
    zip_t* z = zip_open_from_source(source, ZIP_RDONLY | ZIP_CHECKCONS, &error);
    if (!z) {
        zip_source_free(source);
        return fail(ErrorCode::Corrupt, "the packed recipe is damaged: " + textOf(error));
    }
    std::map<std::string, std::string> out;
    const auto bad = [&](const std::string& what) {
        zip_discard(z);
        return fail(ErrorCode::Corrupt, "the packed recipe is damaged: " + what);
    };
    zip_uint64_t total = 0;
    for (zip_int64_t i = 0; i < zip_get_num_entries(z, 0); ++i) {
        zip_stat_t info;
        if (zip_stat_index(z, zip_uint64_t(i), 0, &info) != 0 || !(info.valid & ZIP_STAT_SIZE) ||
            !(info.valid & ZIP_STAT_NAME))
            return bad("a member cannot be read");
        const std::string name = info.name;
        if (name.empty() || name.back() == '/') continue;
        if (name.front() == '/' || name.find("..") != std::string::npos)
            return bad("the name \"" + name + "\" leaves the archive");
        total += info.size;
        if (info.size > kMost || total > kMost) return bad("it unpacks to more than 1 GiB");
        if (name == "recipe.json" && info.size > kMostText)
            return bad("recipe.json unpacks to " + std::to_string(info.size) + " bytes; at most " +
                       std::to_string(kMostText) + " are read");
        zip_file_t* f = zip_fopen_index(z, zip_uint64_t(i), 0);
        if (!f) return bad("\"" + name + "\" cannot be read");
        std::string text(info.size, '\0');
        const zip_int64_t n = zip_fread(f, text.data(), info.size);
        char past = 0;
        // A wrong checksum shows only when reading past the end, or on closing.
        const zip_int64_t after = zip_fread(f, &past, 1);
        const int closed = zip_fclose(f);
        if (n != zip_int64_t(info.size) || after != 0 || closed != 0)
            return bad("\"" + name + "\" is damaged (its checksum is wrong)");
        out[name] = std::move(text);
    }
    zip_discard(z);
    return out;
}

base::Result<std::string> writeZip(const std::map<std::string, std::string>& members)
{
    zip_error_t error;
    zip_error_init(&error);
    zip_source_t* target = zip_source_buffer_create(nullptr, 0, 0, &error);
    if (!target) return fail(ErrorCode::Io, textOf(error));
    zip_source_keep(target);
    zip_t* z = zip_open_from_source(target, ZIP_CREATE | ZIP_TRUNCATE, &error);
    if (!z) {
        zip_source_free(target);
        return fail(ErrorCode::Io, textOf(error));
    }
    for (const auto& [name, text] : members) {
        zip_source_t* member = zip_source_buffer(z, text.data(), text.size(), 0);
        const zip_int64_t at = member ? zip_file_add(z, name.c_str(), member, ZIP_FL_ENC_UTF_8) : -1;
        if (at < 0) {
            if (member) zip_source_free(member);
            const std::string what = zip_strerror(z);
            zip_discard(z);
            zip_source_free(target);
            return fail(ErrorCode::Io, "cannot pack \"" + name + "\": " + what);
        }
        zip_file_set_mtime(z, zip_uint64_t(at), 315532800, 0); // 1980-01-01, the first a zip can state
        const bool picture = name.size() > 4 && name.find(".json") == std::string::npos;
        zip_set_file_compression(z, zip_uint64_t(at), picture ? ZIP_CM_STORE : ZIP_CM_DEFLATE, 0);
    }
    if (zip_close(z) != 0) {
        const std::string what = zip_strerror(z);
        zip_discard(z);
        zip_source_free(target);
        return fail(ErrorCode::Io, "cannot pack: " + what);
    }
    std::string out;
    zip_stat_t info;
    if (zip_source_open(target) == 0 && zip_source_stat(target, &info) == 0) {
        out.resize(info.size);
        if (zip_source_read(target, out.data(), info.size) != zip_int64_t(info.size)) out.clear();
        zip_source_close(target);
    }
    zip_source_free(target);
    if (out.empty()) return fail(ErrorCode::Io, "cannot pack: nothing was written");
    return out;
}

} // namespace recipe
