#include "base/files.h"

#include "base/zip.h"

#include <cerrno>
#include <cstdio>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <random>
#include <sys/file.h>
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
    if (!S_ISREG(info.st_mode))
        return fail(ErrorCode::Io, std::string("is ") + kindOf(info.st_mode) + ", a regular file is expected", path);
    const auto tooLarge = [&](std::uint64_t size) {
        return fail(ErrorCode::OutOfRange,
                    "the file has " + std::to_string(size) + " bytes; at most " + std::to_string(most) + " are read",
                    path);
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

// A file descriptor that is closed, and its lock with it, whatever happens.
class Open
{
public:
    Open(const std::string& path, int flags) : m_fd(::open(path.c_str(), flags | O_CLOEXEC, 0666)) {}
    ~Open()
    {
        if (m_fd >= 0) ::close(m_fd);
    }
    Open(const Open&) = delete;
    Open& operator=(const Open&) = delete;
    int fd() const { return m_fd; }

private:
    int m_fd;
};
bool writeAt(int fd, const std::string& bytes, off_t at)
{
    std::size_t done = 0;
    while (done < bytes.size()) {
        const ssize_t n = ::pwrite(fd, bytes.data() + done, bytes.size() - done, at + off_t(done));
        if (n < 0 && errno == EINTR) continue;
        if (n < 0) return false;
        done += std::size_t(n);
    }
    return true;
}
bool readAt(int fd, std::string& bytes, off_t at)
{
    std::size_t done = 0;
    while (done < bytes.size()) {
        const ssize_t n = ::pread(fd, bytes.data() + done, bytes.size() - done, at + off_t(done));
        if (n < 0 && errno == EINTR) continue;
        if (n <= 0) return false;
        done += std::size_t(n);
    }
    return true;
}
// Where the last whole line ends; 0 when there is none.
Result<off_t> endOfLines(int fd, off_t size, const std::string& path)
{
    constexpr off_t kBlock = 65536;
    for (off_t end = size; end > 0;) {
        const off_t from = end > kBlock ? end - kBlock : 0;
        std::string block(std::size_t(end - from), '\0');
        if (!readAt(fd, block, from)) return systemError("cannot read", path);
        if (const auto at = block.rfind('\n'); at != std::string::npos) return from + off_t(at) + 1;
        end = from;
    }
    return off_t(0);
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
                if ((old.st_uid != ::geteuid() || old.st_gid != ::getegid()) &&
                    ::fchown(fd, old.st_uid, old.st_gid) != 0)
                    errno = 0;
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
    Status append(const std::string& path, const std::string& head, const std::string& lines,
                  const Whole& whole) override
    {
        struct stat info {
        };
        const bool fresh = ::stat(path.c_str(), &info) != 0;
        if (!fresh && S_ISCHR(info.st_mode)) return write(path, lines);
        if (!fresh && !S_ISREG(info.st_mode))
            return fail(ErrorCode::Io, std::string("is ") + kindOf(info.st_mode) + ", a regular file is expected",
                        path);
        const Open file(path, O_RDWR | O_CREAT | O_NOCTTY);
        if (file.fd() < 0) return systemError("cannot write", path);
        while (::flock(file.fd(), LOCK_EX) != 0)
            if (errno != EINTR) return systemError("cannot lock", path);
        if (::fstat(file.fd(), &info) != 0) return systemError("cannot write", path);
        const auto end = endOfLines(file.fd(), info.st_size, path);
        if (!end) return passOn(end.error());
        if (*end > 0) {
            std::string begins(head.size(), '\0');
            if (*end < off_t(head.size()) || !readAt(file.fd(), begins, 0) || begins != head)
                return fail(ErrorCode::InvalidArgument, "the file has other columns; choose another name", path);
        }
        std::string tail(std::size_t(info.st_size - *end), '\0');
        if (!tail.empty() && !readAt(file.fd(), tail, *end)) return systemError("cannot read", path);
        const bool keepsTail = *end > 0 && !tail.empty() && whole && whole(tail);
        const off_t from = keepsTail ? info.st_size : *end;
        const std::string bytes = keepsTail ? "\n" + lines : *end == 0 ? head + lines : lines;
        const bool written = (from == info.st_size || ::ftruncate(file.fd(), from) == 0) &&
                             writeAt(file.fd(), bytes, from) && ::fsync(file.fd()) == 0;
        if (!written) {
            auto error = systemError("cannot write", path);
            if (::ftruncate(file.fd(), from) != 0) error.value().message += "; what was begun could not be taken back";
            return error;
        }
        const auto folder = std::filesystem::path(path).parent_path();
        return fresh ? syncDescriptor(folder.empty() ? "." : folder.string(), O_RDONLY | O_DIRECTORY) : Status{};
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

Status FileSystem::append(const std::string& path, const std::string&, const std::string&, const Whole&)
{
    return fail(ErrorCode::Unsupported, "lines cannot be added here", path);
}

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

Result<std::string> readFile(const std::string& path, std::uint64_t most)
{
    struct stat info {
    };
    if (::stat(path.c_str(), &info) != 0 && errno == ENOTDIR)
        if (const auto in = insideOf(path)) return readMember(*in, most);
    return readRegular(path, most);
}

bool sameFile(const std::string& a, const std::string& b)
{
    struct stat x {
    }, y{};
    return ::stat(a.c_str(), &x) == 0 && ::stat(b.c_str(), &y) == 0 && x.st_dev == y.st_dev && x.st_ino == y.st_ino;
}

std::string stampOf(const std::string& path)
{
    struct stat info {
    };
    if (::stat(path.c_str(), &info) != 0) {
        const auto in = errno == ENOTDIR ? insideOf(path) : std::nullopt;
        return in ? stampOf(*in) : std::string();
    }
    return std::to_string(info.st_ino) + " " + std::to_string(info.st_size) + " " +
           std::to_string(info.st_mtim.tv_sec) + "." + std::to_string(info.st_mtim.tv_nsec);
}

std::uint64_t fingerprint(const std::string& bytes, std::uint64_t seed)
{
    for (const unsigned char c : bytes) seed = (seed ^ c) * 1099511628211ULL;
    return seed;
}

} // namespace base
