#include "base/zip.h"

#include <filesystem>
#include <string>
#include <sys/stat.h>
#include <zip.h>

namespace base
{

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

namespace
{
// A zip that is open for reading.
class Reader
{
public:
    explicit Reader(zip_t* z) : m_z(z) {}
    ~Reader() { zip_discard(m_z); }
    Reader(const Reader&) = delete;
    Reader& operator=(const Reader&) = delete;
    zip_t* get() const { return m_z; }

private:
    zip_t* m_z;
};

Result<std::string> memberText(zip_t* z, zip_uint64_t at, zip_uint64_t size, const std::string& name)
{
    zip_file_t* f = zip_fopen_index(z, at, 0);
    if (!f) return fail(ErrorCode::Corrupt, "\"" + name + "\" cannot be read");
    std::string text(size, '\0');
    const zip_int64_t n = zip_fread(f, text.data(), size);
    char past = 0;
    // A wrong checksum shows only when reading past the end, or on closing.
    const zip_int64_t after = zip_fread(f, &past, 1);
    const int closed = zip_fclose(f);
    if (n != zip_int64_t(size) || after != 0 || closed != 0)
        return fail(ErrorCode::Corrupt, "\"" + name + "\" is damaged (its checksum is wrong)");
    return text;
}

Result<Members> readMembers(zip_t* z, const std::string& except)
{
    const Reader whole(z);
    Members out;
    const auto bad = [](const std::string& what) {
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
        if (!except.empty() && name.compare(0, except.size(), except) == 0) continue;
        total += info.size;
        if (info.size > kMost || total > kMost) return bad("it unpacks to more than 1 GiB");
        if (name == "recipe.json" && info.size > kMostText)
            return bad("recipe.json unpacks to " + std::to_string(info.size) + " bytes; at most " +
                       std::to_string(kMostText) + " are read");
        auto text = memberText(z, zip_uint64_t(i), info.size, name);
        if (!text) return bad(text.error().message);
        out[name] = std::move(*text);
    }
    return out;
}
} // namespace

Result<Members> readZip(const std::string& bytes)
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
    return readMembers(z, {});
}

namespace
{
Result<zip_t*> openZip(const std::string& path, int flags)
{
    int code = 0;
    zip_t* z = zip_open(path.c_str(), ZIP_RDONLY | flags, &code);
    if (z) return z;
    zip_error_t error;
    zip_error_init_with_code(&error, code);
    return fail(ErrorCode::Corrupt, "the packed recipe is damaged: " + textOf(error), path);
}
} // namespace

Result<Members> readZipFile(const std::string& path, const std::string& except)
{
    auto z = openZip(path, ZIP_CHECKCONS);
    if (!z) return passOn(z.error());
    auto members = readMembers(*z, except);
    if (!members) return passOn(members.error(), path);
    return members;
}

std::optional<Inside> insideOf(const std::string& path)
{
    namespace fs = std::filesystem;
    const fs::path whole(path);
    for (fs::path up = whole.parent_path(); !up.empty() && up != up.root_path(); up = up.parent_path()) {
        struct stat info {
        };
        if (::stat(up.c_str(), &info) != 0) continue;
        if (!S_ISREG(info.st_mode)) return std::nullopt;
        return Inside{up.string(), whole.lexically_relative(up).generic_string()};
    }
    return std::nullopt;
}

Result<std::string> readMember(const Inside& at, std::uint64_t most)
{
    const std::string where = at.archive + ": " + at.member;
    auto z = openZip(at.archive, 0);
    if (!z) return passOn(z.error());
    const Reader whole(*z);
    zip_stat_t info;
    const zip_int64_t i = zip_name_locate(*z, at.member.c_str(), 0);
    if (i < 0 || zip_stat_index(*z, zip_uint64_t(i), 0, &info) != 0 || !(info.valid & ZIP_STAT_SIZE))
        return fail(ErrorCode::NotFound, "the packed recipe holds no such picture", where);
    if (info.size > most || info.size > kMost)
        return fail(ErrorCode::OutOfRange,
                    "the file has " + std::to_string(info.size) + " bytes; at most " +
                        std::to_string(std::min<std::uint64_t>(most, kMost)) + " are read",
                    where);
    auto text = memberText(*z, zip_uint64_t(i), info.size, at.member);
    if (!text) return passOn(text.error(), where);
    return text;
}

std::string stampOf(const Inside& at)
{
    auto z = openZip(at.archive, 0);
    if (!z) return {};
    const Reader whole(*z);
    zip_stat_t info;
    if (zip_stat(*z, at.member.c_str(), 0, &info) != 0 || !(info.valid & ZIP_STAT_CRC)) return {};
    return std::to_string(info.crc) + " " + std::to_string(info.size);
}

std::optional<std::uint64_t> sizeOf(const Inside& at)
{
    auto z = openZip(at.archive, 0);
    if (!z) return std::nullopt;
    const Reader whole(*z);
    zip_stat_t info;
    if (zip_stat(*z, at.member.c_str(), 0, &info) != 0 || !(info.valid & ZIP_STAT_SIZE)) return std::nullopt;
    return info.size;
}

std::vector<std::string> membersOf(const std::string& archive, const std::string& begins)
{
    std::vector<std::string> out;
    auto z = openZip(archive, 0);
    if (!z) return out;
    const Reader whole(*z);
    for (zip_int64_t i = 0; i < zip_get_num_entries(*z, 0); ++i)
        if (const char* name = zip_get_name(*z, zip_uint64_t(i), 0))
            if (std::string(name).compare(0, begins.size(), begins) == 0) out.emplace_back(name);
    return out;
}

namespace
{
// The same members make the same bytes; pictures are packed already.
void settle(zip_t* z, zip_uint64_t at, const std::string& name)
{
    zip_file_set_mtime(z, at, 315532800, 0); // 1980-01-01, the first a zip can state
    const bool text = name.find(".json") != std::string::npos;
    zip_set_file_compression(z, at, text ? ZIP_CM_DEFLATE : ZIP_CM_STORE, 0);
}
} // namespace

Result<std::string> writeZip(const Members& members)
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
        settle(z, zip_uint64_t(at), name);
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

namespace
{
// Adds one member; the sources it comes from stay open in `open` until all is written.
Status addMember(zip_t* z, const Member& m, std::map<std::string, std::unique_ptr<Reader>>& open)
{
    zip_source_t* source = nullptr;
    struct stat info {
    };
    if (m.bytes) {
        source = zip_source_buffer(z, m.bytes->data(), m.bytes->size(), 0);
    } else if (::stat(m.file.c_str(), &info) == 0) {
        if (!S_ISREG(info.st_mode)) return fail(ErrorCode::Io, "is no regular file", m.file);
        source = zip_source_file(z, m.file.c_str(), 0, -1);
    } else if (const auto in = insideOf(m.file)) {
        auto& from = open[in->archive];
        if (!from) {
            auto opened = openZip(in->archive, 0);
            if (!opened) return passOn(opened.error());
            from = std::make_unique<Reader>(*opened);
        }
        const zip_int64_t at = zip_name_locate(from->get(), in->member.c_str(), 0);
        if (at < 0) return fail(ErrorCode::NotFound, "the packed recipe holds no such picture", m.file);
        source = zip_source_zip(z, from->get(), zip_uint64_t(at), 0, 0, -1);
    } else {
        return fail(ErrorCode::NotFound, "cannot open: No such file or directory", m.file);
    }
    const zip_int64_t at = source ? zip_file_add(z, m.name.c_str(), source, ZIP_FL_ENC_UTF_8) : -1;
    if (at < 0) {
        if (source) zip_source_free(source);
        return fail(ErrorCode::Io, "cannot pack \"" + m.name + "\": " + zip_strerror(z));
    }
    settle(z, zip_uint64_t(at), m.name);
    return {};
}
} // namespace

Status writeZipFile(FileSystem& files, const std::string& path, const std::vector<Member>& members, Watch* watch)
{
    const auto target = files.target(path);
    if (!target) return passOn(target.error());
    if (target->inPlace) return fail(ErrorCode::Io, "pictures cannot be packed into a device", path);
    const auto temporary = files.beside(target->path);
    if (!temporary) return passOn(temporary.error());
    const auto written = [&]() -> Status {
        std::map<std::string, std::unique_ptr<Reader>> open;
        int code = 0;
        zip_t* z = zip_open(temporary->c_str(), ZIP_CREATE | ZIP_TRUNCATE, &code);
        if (!z) {
            zip_error_t error;
            zip_error_init_with_code(&error, code);
            return fail(ErrorCode::Io, "cannot write: " + textOf(error), path);
        }
        for (const Member& m : members)
            if (auto ok = addMember(z, m, open); !ok) {
                zip_discard(z);
                return ok;
            }
        if (watch) {
            zip_register_progress_callback_with_state(
                z, 0.002, [](zip_t*, double share, void* of) { static_cast<Watch*>(of)->share = share; }, nullptr,
                watch);
            zip_register_cancel_callback_with_state(
                z, [](zip_t*, void* of) { return static_cast<Watch*>(of)->cancel ? 1 : 0; }, nullptr, watch);
        }
        if (zip_close(z) != 0) {
            const std::string what = zip_strerror(z);
            zip_discard(z);
            if (watch && watch->cancel) return fail(ErrorCode::Cancelled, "stopped; nothing was written", path);
            return fail(ErrorCode::Io, "cannot pack: " + what, path);
        }
        return {};
    };
    auto done = written();
    if (done) done = files.sync(*temporary);
    if (done) done = files.rename(*temporary, target->path);
    if (!done) {
        (void)files.remove(*temporary);
        return done;
    }
    return files.sync(target->path);
}

} // namespace base
