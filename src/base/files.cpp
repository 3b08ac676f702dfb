#include "base/files.h"

#include <cerrno>
#include <cstdio>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <random>
#include <sys/stat.h>
#include <unistd.h>

namespace base
{
namespace
{

tl::unexpected<Error> systemError(const std::string& what, const std::string& path)
{
    const int number = errno;
    return fail(number == ENOENT ? ErrorCode::NotFound : ErrorCode::Io, what + ": " + std::strerror(number), path);
}

Status syncDescriptor(const std::string& path, int flags)
{
    const int fd = ::open(path.c_str(), flags);
    if (fd < 0) return systemError("cannot open to sync", path);
    const int done = ::fsync(fd);
    if (done != 0) {
        auto error = systemError("cannot sync", path);
        ::close(fd);
        return error;
    }
    ::close(fd);
    return {};
}

const char* kindOf(mode_t mode)
{
    if (S_ISDIR(mode)) return "a folder";
    if (S_ISFIFO(mode)) return "a named pipe";
    if (S_ISSOCK(mode)) return "a socket";
    if (S_ISCHR(mode) || S_ISBLK(mode)) return "a device";
    return "no regular file";
}

Result<std::string> readRegular(const std::string& path, std::uint64_t most)
{
    // Looked at before it is opened: opening a pipe waits, opening a device may do something.
    struct stat info {
    };
    if (::stat(path.c_str(), &info) != 0) return systemError("cannot open", path);
    if (!S_ISREG(info.st_mode)) return fail(ErrorCode::Io, std::string("is ") + kindOf(info.st_mode) + ", a regular file is expected", path);
    const auto tooLarge = [&](std::uint64_t size) {
        return fail(ErrorCode::OutOfRange, "the file has " + std::to_string(size) + " bytes; at most " + std::to_string(most) + " are read", path);
    };
    if (std::uint64_t(info.st_size) > most) return tooLarge(std::uint64_t(info.st_size));
    const int fd = ::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK);
    if (fd < 0) return systemError("cannot open", path);
    if (::fstat(fd, &info) != 0 || !S_ISREG(info.st_mode)) {
        ::close(fd);
        return fail(ErrorCode::Io, "is no longer a regular file", path);
    }
    std::string bytes;
    bytes.reserve(std::size_t(info.st_size > 0 ? info.st_size : 0));
    char buffer[1 << 16];
    for (;;) {
        const ssize_t n = ::read(fd, buffer, sizeof buffer);
        if (n == 0) break;
        if (n < 0) {
            if (errno == EINTR) continue;
            auto error = systemError("cannot read", path);
            ::close(fd);
            return error;
        }
        bytes.append(buffer, std::size_t(n));
        if (bytes.size() > most) {
            ::close(fd);
            return tooLarge(bytes.size());
        }
    }
    ::close(fd);
    return bytes;
}

class RealFiles : public FileSystem
{
public:
    Result<std::string> read(const std::string& path) override { return readRegular(path, kLargestFile); }
    Result<Target> target(const std::string& path) override
    {
        struct stat info {
        };
        if (::stat(path.c_str(), &info) == 0) {
            if (S_ISCHR(info.st_mode)) return Target{path, true};
            if (!S_ISREG(info.st_mode))
                return fail(ErrorCode::Io,
                            std::string("is ") + kindOf(info.st_mode) + ", a regular file is expected" +
                                (S_ISFIFO(info.st_mode) ? "; - is the standard output" : ""),
                            path);
        }
        std::filesystem::path at = path;
        std::error_code error;
        for (int links = 0; std::filesystem::is_symlink(std::filesystem::symlink_status(at, error)); ++links) {
            if (links == 40) return fail(ErrorCode::Io, "leads from link to link", path);
            const auto next = std::filesystem::read_symlink(at, error);
            if (error) return fail(ErrorCode::Io, "the link cannot be followed: " + error.message(), path);
            at = next.is_absolute() ? next : at.parent_path() / next;
        }
        return Target{at.string(), false};
    }
    Result<std::string> beside(const std::string& path) override
    {
        const std::filesystem::path whole = path;
        // The name stays within what a file system takes.
        const std::string stem = (whole.parent_path() / whole.filename().string().substr(0, 200)).string();
        std::random_device random;
        for (int tries = 0;; ++tries) {
            char mark[24];
            std::snprintf(mark, sizeof mark, ".%08x.part", unsigned(random()));
            const std::string name = stem + mark;
            const int fd = ::open(name.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC | O_NOFOLLOW, 0666);
            if (fd < 0 && errno == EEXIST && tries < 20) continue;
            if (fd < 0) return systemError("cannot write", path);
            struct stat old {
            };
            if (::stat(path.c_str(), &old) == 0) {
                // Another's file stays theirs where that is allowed; it is written all the same where it is not.
                if ((old.st_uid != ::geteuid() || old.st_gid != ::getegid()) && ::fchown(fd, old.st_uid, old.st_gid) != 0) errno = 0;
                if (::fchmod(fd, old.st_mode & 07777) != 0) errno = 0;
            }
            ::close(fd);
            return name;
        }
    }
    Status write(const std::string& path, const std::string& bytes) override
    {
        const int fd = ::open(path.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC | O_NOCTTY, 0666);
        if (fd < 0) return systemError("cannot write", path);
        std::size_t done = 0;
        while (done < bytes.size()) {
            const ssize_t n = ::write(fd, bytes.data() + done, bytes.size() - done);
            if (n < 0) {
                if (errno == EINTR) continue;
                auto error = systemError("cannot write", path);
                ::close(fd);
                return error;
            }
            done += std::size_t(n);
        }
        if (::close(fd) != 0) return systemError("cannot close", path);
        return {};
    }
    Status sync(const std::string& path) override
    {
        if (auto ok = syncDescriptor(path, O_RDONLY); !ok) return ok;
        const auto folder = std::filesystem::path(path).parent_path();
        return syncDescriptor(folder.empty() ? "." : folder.string(), O_RDONLY | O_DIRECTORY);
    }
    Status rename(const std::string& from, const std::string& to) override
    {
        if (::rename(from.c_str(), to.c_str()) != 0) return systemError("cannot replace", to);
        return {};
    }
    Status remove(const std::string& path) override
    {
        if (::unlink(path.c_str()) != 0) return systemError("cannot remove", path);
        return {};
    }
};
} // namespace

FileSystem& realFiles()
{
    static RealFiles files;
    return files;
}

Status writeAtomic(FileSystem& files, const std::string& path, const std::string& bytes)
{
    const auto target = files.target(path);
    if (!target) return passOn(target.error());
    if (target->inPlace) return files.write(target->path, bytes);
    const auto temporary = files.beside(target->path);
    if (!temporary) return passOn(temporary.error());
    auto done = files.write(*temporary, bytes);
    if (done) done = files.sync(*temporary);
    if (done) done = files.rename(*temporary, target->path);
    if (!done) {
        (void)files.remove(*temporary);
        done.error().where = path; // the name that was asked for, not the one beside it
        return done;
    }
    return files.sync(target->path);
}

Result<std::string> readFile(const std::string& path, std::uint64_t most) { return readRegular(path, most); }

bool sameFile(const std::string& a, const std::string& b)
{
    struct stat x {
    }, y{};
    return ::stat(a.c_str(), &x) == 0 && ::stat(b.c_str(), &y) == 0 && x.st_dev == y.st_dev && x.st_ino == y.st_ino;
}

std::uint64_t fingerprint(const std::string& bytes, std::uint64_t seed)
{
    for (const unsigned char c : bytes) seed = (seed ^ c) * 1099511628211ULL;
    return seed;
}

} // namespace base
