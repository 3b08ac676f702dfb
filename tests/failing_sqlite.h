// failing_sqlite.h - SQLite's own files, of which one operation fails: everything that opens a database in this program
// goes through it from the first use on.
#pragma once
#include <atomic>
#include <cstring>
#include <sqlite3.h>

namespace support
{

// Fails the operation whose turn it is, once; 0: none. `seen` counts on.
struct FailingSqlite {
    static inline std::atomic<int> failAt{0}, seen{0};
    static bool turn() { return ++seen == failAt; }

    static void install()
    {
        static sqlite3_vfs vfs;
        if (vfs.xOpen) return;
        real() = sqlite3_vfs_find(nullptr);
        vfs = *real();
        vfs.zName = "failing";
        vfs.szOsFile = int(sizeof(File)) + real()->szOsFile;
        vfs.xOpen = open;
        vfs.xDelete = [](sqlite3_vfs*, const char* name, int sync) {
            return turn() ? SQLITE_IOERR_DELETE : real()->xDelete(real(), name, sync);
        };
        sqlite3_vfs_register(&vfs, 1);
    }

private:
    struct File {
        sqlite3_file base;
        sqlite3_file* real;
    };
    static sqlite3_vfs*& real()
    {
        static sqlite3_vfs* of = nullptr;
        return of;
    }
    static sqlite3_file* inner(sqlite3_file* f) { return reinterpret_cast<File*>(f)->real; }
    static int open(sqlite3_vfs*, const char* name, sqlite3_file* f, int flags, int* out)
    {
        auto* file = reinterpret_cast<File*>(f);
        file->base.pMethods = nullptr;
        if (turn()) return SQLITE_CANTOPEN;
        file->real = reinterpret_cast<sqlite3_file*>(file + 1);
        const int code = real()->xOpen(real(), name, file->real, flags, out);
        if (code == SQLITE_OK) file->base.pMethods = methods();
        return code;
    }
    static const sqlite3_io_methods* methods()
    {
        static const sqlite3_io_methods all = [] {
            sqlite3_io_methods m;
            std::memset(&m, 0, sizeof m);
            m.iVersion = 2;
            m.xClose = [](sqlite3_file* f) { return inner(f)->pMethods->xClose(inner(f)); };
            m.xRead = [](sqlite3_file* f, void* to, int n, sqlite3_int64 at) {
                return turn() ? SQLITE_IOERR_READ : inner(f)->pMethods->xRead(inner(f), to, n, at);
            };
            m.xWrite = [](sqlite3_file* f, const void* from, int n, sqlite3_int64 at) {
                return turn() ? SQLITE_FULL : inner(f)->pMethods->xWrite(inner(f), from, n, at);
            };
            m.xTruncate = [](sqlite3_file* f, sqlite3_int64 n) {
                return turn() ? SQLITE_IOERR_TRUNCATE : inner(f)->pMethods->xTruncate(inner(f), n);
            };
            m.xSync = [](sqlite3_file* f, int flags) {
                return turn() ? SQLITE_IOERR_FSYNC : inner(f)->pMethods->xSync(inner(f), flags);
            };
            m.xFileSize = [](sqlite3_file* f, sqlite3_int64* n) {
                return turn() ? SQLITE_IOERR_FSTAT : inner(f)->pMethods->xFileSize(inner(f), n);
            };
            m.xLock = [](sqlite3_file* f, int l) {
                return turn() ? SQLITE_IOERR_LOCK : inner(f)->pMethods->xLock(inner(f), l);
            };
            m.xUnlock = [](sqlite3_file* f, int l) { return inner(f)->pMethods->xUnlock(inner(f), l); };
            m.xCheckReservedLock = [](sqlite3_file* f, int* out) {
                return inner(f)->pMethods->xCheckReservedLock(inner(f), out);
            };
            m.xFileControl = [](sqlite3_file* f, int op, void* arg) {
                return inner(f)->pMethods->xFileControl(inner(f), op, arg);
            };
            m.xSectorSize = [](sqlite3_file* f) { return inner(f)->pMethods->xSectorSize(inner(f)); };
            m.xDeviceCharacteristics = [](sqlite3_file* f) {
                return inner(f)->pMethods->xDeviceCharacteristics(inner(f));
            };
            m.xShmMap = [](sqlite3_file* f, int page, int size, int extend, void volatile** out) {
                return turn() ? SQLITE_IOERR_SHMMAP : inner(f)->pMethods->xShmMap(inner(f), page, size, extend, out);
            };
            m.xShmLock = [](sqlite3_file* f, int offset, int n, int flags) {
                return inner(f)->pMethods->xShmLock(inner(f), offset, n, flags);
            };
            m.xShmBarrier = [](sqlite3_file* f) { inner(f)->pMethods->xShmBarrier(inner(f)); };
            m.xShmUnmap = [](sqlite3_file* f, int gone) { return inner(f)->pMethods->xShmUnmap(inner(f), gone); };
            return m;
        }();
        return &all;
    }
};

} // namespace support
