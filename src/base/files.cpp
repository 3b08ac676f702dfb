#include "base/files.h"

#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
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

class RealFiles : public FileSystem
{
public:
    Result<std::string> read(const std::string& path) override
    {
        const int fd = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
        if (fd < 0) return systemError("cannot open", path);
        struct stat info {
        };
        if (::fstat(fd, &info) == 0 && S_ISDIR(info.st_mode)) {
            ::close(fd);
            return fail(ErrorCode::Io, "is a folder, a file was expected", path);
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
        }
        ::close(fd);
        return bytes;
    }
    Status write(const std::string& path, const std::string& bytes) override
    {
        const int fd = ::open(path.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0644);
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
    const std::string temporary = path + ".part";
    auto done = files.write(temporary, bytes);
    if (done) done = files.sync(temporary);
    if (done) done = files.rename(temporary, path);
    if (!done) {
        (void)files.remove(temporary);
        return done;
    }
    return files.sync(path);
}

Result<std::string> readFile(const std::string& path) { return realFiles().read(path); }

std::uint64_t fingerprint(const std::string& bytes, std::uint64_t seed)
{
    for (const unsigned char c : bytes) seed = (seed ^ c) * 1099511628211ULL;
    return seed;
}

} // namespace base
