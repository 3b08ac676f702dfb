// postgres.h - a PostgreSQL server of a test's own, on the loopback, in a folder that goes with it.
#pragma once
#include <QDir>
#include <QElapsedTimer>
#include <QFile>
#include <QProcess>
#include <QStandardPaths>
#include <QTcpServer>
#include <QThread>
#include <csignal>
#include <pwd.h>
#include <sys/mount.h>
#include <unistd.h>

namespace support
{

class Postgres
{
public:
    // `megabytes`: on a disk of its own, so large; needs the right to mount (see limited()).
    explicit Postgres(int megabytes = 0)
    {
        const passwd* user = ::getuid() == 0 ? ::getpwnam("postgres") : nullptr;
        m_root = ::getuid() == 0;
        m_folder = QDir::tempPath() + QStringLiteral("/dikkat-pg-%1-%2").arg(::getpid()).arg(counter()++);
        QDir().mkpath(m_folder);
        if (megabytes > 0 && m_root)
            m_mounted = ::mount("tmpfs", m_folder.toLocal8Bit().constData(), "tmpfs", 0,
                                ("size=" + std::to_string(megabytes) + "m").c_str()) == 0;
        if (user) (void)!::chown(m_folder.toLocal8Bit().constData(), user->pw_uid, user->pw_gid);
        QTcpServer probe; // a port nobody uses just now
        probe.listen(QHostAddress::LocalHost, 0);
        m_port = probe.serverPort();
        probe.close();
        m_ready =
            run(bin("initdb"), {"-D", m_folder + "/db", "-A", "trust", "-U", "dikkat", "--no-sync", "-E", "UTF8"});
        QFile conf(m_folder + "/db/postgresql.auto.conf");
        if (m_ready && conf.open(QIODevice::Append))
            conf.write(QStringLiteral(
                           "listen_addresses = '127.0.0.1'\nport = %1\nunix_socket_directories = '%2'\n"
                           "max_wal_size = 64MB\nmin_wal_size = 32MB\nshared_buffers = 64MB\nlogging_collector = off\n"
                           "max_connections = 40\n")
                           .arg(m_port)
                           .arg(m_folder)
                           .toUtf8());
        conf.close();
        m_ready = m_ready && start() &&
                  run(bin("createdb"), {"-h", "127.0.0.1", "-p", QString::number(m_port), "-U", "dikkat", "records"});
    }
    ~Postgres()
    {
        stop("immediate");
        if (m_mounted) ::umount2(m_folder.toLocal8Bit().constData(), MNT_DETACH);
        QDir(m_folder).removeRecursively();
    }
    bool ready() const { return m_ready; }
    bool limited() const { return m_mounted; }
    QString url() const { return QStringLiteral("postgresql://dikkat@127.0.0.1:%1/records").arg(m_port); }
    QString folder() const { return m_folder; }
    bool start()
    {
        for (int i = 0; i < 20; ++i) { // it may be on its way down still
            if (run(bin("pg_ctl"), {"-D", m_folder + "/db", "-l", m_folder + "/log", "-w", "-t", "30", "start"}))
                return true;
            if (answers()) return true;
            QThread::msleep(100);
        }
        return false;
    }
    // "immediate" is a crash, "fast" an orderly end.
    bool stop(const char* how)
    {
        return run(bin("pg_ctl"), {"-D", m_folder + "/db", "-m", how, "-w", "-t", "30", "stop"});
    }
    bool answers() const { return run(bin("pg_isready"), {"-h", "127.0.0.1", "-p", QString::number(m_port), "-q"}); }
    // What psql says of it, without heads.
    QString ask(const QString& sql) const
    {
        QProcess p;
        p.start(bin("psql"),
                {"-h", "127.0.0.1", "-p", QString::number(m_port), "-U", "dikkat", "-d", "records", "-XtAc", sql});
        p.waitForFinished(60000);
        return QString::fromUtf8(p.readAllStandardOutput()).trimmed();
    }
    // No byte more fits on its disk; and again.
    void fill()
    {
        QFile ballast(m_folder + "/ballast");
        if (!ballast.open(QIODevice::WriteOnly | QIODevice::Unbuffered)) return;
        const QByteArray much(1 << 20, 'x'), little(4096, 'x');
        for (const QByteArray& piece : {much, little})
            while (ballast.write(piece) == piece.size()) {}
    }
    void empty() { QFile::remove(m_folder + "/ballast"); }

private:
    static int& counter()
    {
        static int n = 0;
        return n;
    }
    static QString bin(const char* name)
    {
        const QString there = QStringLiteral("/usr/lib/postgresql/15/bin/") + QLatin1String(name);
        return QFile::exists(there) ? there : QStandardPaths::findExecutable(QLatin1String(name));
    }
    bool run(const QString& program, QStringList arguments) const
    {
        QProcess p;
        p.setStandardOutputFile(QProcess::nullDevice());
        p.setStandardErrorFile(QProcess::nullDevice());
        p.setWorkingDirectory(QDir::tempPath());
        const bool own = program.endsWith("initdb") || program.endsWith("pg_ctl"); // refuse to run as root
        if (m_root && own) {
            arguments.prepend(program);
            for (const char* a : {"--", "postgres", "-u"}) arguments.prepend(QLatin1String(a));
            p.start(QStringLiteral("/usr/sbin/runuser"), arguments);
        } else p.start(program, arguments);
        return p.waitForFinished(60000) && p.exitStatus() == QProcess::NormalExit && p.exitCode() == 0;
    }
    QString m_folder;
    int m_port = 0;
    bool m_root = false, m_mounted = false, m_ready = false;
};

} // namespace support
