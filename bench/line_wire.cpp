// From trigger to verdict on the wire, and ten thousand items through every output at once with the window open.
//
//   line_wire [ITEMS]   prints medians and ratios to the inspection alone, memory, repaints
#include "control/outlets.h"
#include "demo/conveyor.h"
#include "desktop/main_window.h"
#include "desktop/style.h"
#include "recipe/recipe_file.h"
#include "recipe/recipe_json.h"

#include <QApplication>
#include <QProcess>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <QTest>
#include <algorithm>
#include <arpa/inet.h>
#include <atomic>
#include <fstream>
#include <iostream>
#include <sys/socket.h>
#include <unistd.h>

namespace
{
using Clock = std::chrono::steady_clock;

// Reads lines on loopback and notes when each came.
class Peer
{
public:
    Peer()
    {
        m_listen = socket(AF_INET, SOCK_STREAM, 0);
        sockaddr_in a{};
        a.sin_family = AF_INET;
        a.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
        bind(m_listen, reinterpret_cast<sockaddr*>(&a), sizeof a);
        listen(m_listen, 1);
        socklen_t n = sizeof a;
        getsockname(m_listen, reinterpret_cast<sockaddr*>(&a), &n);
        m_port = ntohs(a.sin_port);
        m_thread = std::jthread([this] {
            const int peer = m_peer = accept(m_listen, nullptr, nullptr);
            char byte = 0;
            while (peer >= 0 && read(peer, &byte, 1) == 1)
                if (byte == '\n') {
                    const std::lock_guard lock(m_mutex);
                    m_times.push_back(Clock::now());
                    m_came.notify_all();
                }
            if (peer >= 0) close(peer);
        });
    }
    ~Peer()
    {
        shutdown(m_listen, SHUT_RDWR), close(m_listen);
        if (m_peer >= 0) shutdown(m_peer, SHUT_RDWR);
    }
    int port() const { return m_port; }
    Clock::time_point wait(std::size_t count)
    {
        std::unique_lock lock(m_mutex);
        m_came.wait_for(lock, std::chrono::seconds(20), [&] { return m_times.size() >= count; });
        return m_times.size() >= count ? m_times[count - 1] : Clock::time_point{};
    }
    std::size_t count()
    {
        const std::lock_guard lock(m_mutex);
        return m_times.size();
    }

private:
    int m_listen = -1, m_port = 0;
    std::atomic<int> m_peer{-1};
    std::mutex m_mutex;
    std::condition_variable m_came;
    std::vector<Clock::time_point> m_times;
    std::jthread m_thread;
};

recipe::Outlet text(const char* name, int port)
{
    recipe::Outlet o;
    o.name = name;
    o.text.port = port;
    o.text.pattern = "{number} {verdict} {Width|none}\\n";
    return o;
}
recipe::Outlet broker(int port)
{
    recipe::Outlet o;
    o.kind = recipe::Outlet::Kind::Broker;
    o.name = "broker";
    o.broker.port = port;
    return o;
}
recipe::Outlet table(int port)
{
    recipe::Outlet o;
    o.kind = recipe::Outlet::Kind::Registers;
    o.name = "table";
    o.registers.port = port;
    return o;
}

struct Spread {
    double median = 0, most = 0;
};
Spread spread(std::vector<double> v)
{
    if (v.empty()) return {};
    std::sort(v.begin(), v.end());
    return {v[v.size() / 2], v[std::min(v.size() - 1, std::size_t(std::ceil(0.99 * double(v.size()))) - 1)]};
}
double ms(Clock::duration d) { return std::chrono::duration<double, std::milli>(d).count(); }

double memoryMb()
{
    std::ifstream status("/proc/self/status");
    for (std::string line; std::getline(status, line);)
        if (line.rfind("VmRSS:", 0) == 0) return std::stod(line.substr(6)) / 1024;
    return 0;
}

struct Rate {
    Spread wire, inspection; // of the same pictures, alone
    std::size_t told = 0;
};
// One at a time, as a part sensor triggers.
Rate wire(const std::shared_ptr<const records::Release>& release,
          const std::vector<std::shared_ptr<const image::Capture>>& pictures, std::vector<recipe::Outlet> others,
          const std::string& folder, int items)
{
    Peer peer;
    recipe::Recipe r = release->recipe();
    r.outlets = {text("peer", peer.port())};
    r.outlets.insert(r.outlets.end(), others.begin(), others.end());
    Rate out;
    std::mutex mutex;
    std::condition_variable logged;
    int done = 0;
    station::Station::Listener listener;
    listener.logged = [&](const station::Logged&) {
        const std::lock_guard lock(mutex);
        ++done;
        logged.notify_all();
    };
    std::vector<std::unique_ptr<station::Sink>> sinks;
    sinks.push_back(std::make_unique<station::RecordSink>(folder + "/wire.sqlite"));
    station::Station line(std::move(sinks), control::outputsOf(r, {}), listener, {1, 0});
    auto on = std::make_shared<station::Line>();
    on->release = release;
    line.setLine(on);
    line.setSource(std::make_shared<station::MemorySource>("memory", pictures));
    std::vector<double> times, alone;
    for (int i = 0; i < items; ++i) {
        const auto begun = Clock::now();
        line.takeOne();
        const auto came = peer.wait(std::size_t(i) + 1);
        if (came != Clock::time_point{} && i >= 5) times.push_back(ms(came - begun)); // the first ones warm up
        std::unique_lock lock(mutex);
        logged.wait(lock, [&] { return done > i; });
        lock.unlock();
        const auto before = Clock::now();
        (void)inspect::evaluate(*release->prepared, *pictures[std::size_t(i) % pictures.size()], nullptr, nullptr, 0);
        if (i >= 5) alone.push_back(ms(Clock::now() - before));
    }
    out.wire = spread(times);
    out.inspection = spread(alone);
    out.told = peer.count();
    return out;
}

void sayRate(const char* what, const Rate& r, int items)
{
    std::cout << what << ": inspection alone median " << r.inspection.median << " ms, 99 % " << r.inspection.most
              << "; trigger to verdict on the wire median " << r.wire.median << " ("
              << r.wire.median / r.inspection.median << " ×, + " << r.wire.median - r.inspection.median << " ms), 99 % "
              << r.wire.most << " (+ " << r.wire.most - r.inspection.most << " ms); " << r.told << " of " << items
              << " told\n";
}

// Counts what is painted, and how long it was quiet.
class Paints : public QObject
{
public:
    long long count = 0;
    double longest = 0;

protected:
    bool eventFilter(QObject* o, QEvent* e) override
    {
        if (e->type() == QEvent::Paint) {
            const auto now = Clock::now();
            if (m_last) longest = std::max(longest, ms(now - *m_last));
            m_last = now;
            ++count;
        }
        return QObject::eventFilter(o, e);
    }

private:
    std::optional<Clock::time_point> m_last;
};

int inTheWindow(int items, const std::string& recipe, const QString& folder)
{
    desktop::applyTheme(*qApp);
    std::vector<std::shared_ptr<const image::Capture>> pictures;
    const demo::Field field{640, 480, 0.2, {}, {}};
    for (int n = 0; n < 24; ++n)
        pictures.push_back(std::make_shared<const image::Capture>(
            image::makeCapture(demo::plate(field, 7, n).picture, "memory-" + std::to_string(n))));
    desktop::MainWindow window(
        [&](const station::Conveyor&) { return std::make_unique<station::MemorySource>("memory", pictures); }, folder);
    window.resize(1280, 800);
    window.show();
    Peer peer;
    if (!window.openRecipe(QString::fromStdString(recipe))) return 1;
    QProcess mosquitto;
    const int port = 18930 + int(getpid() % 1000);
    const bool there =
        !QStandardPaths::findExecutable(QStringLiteral("mosquitto"), {"/usr/sbin", "/usr/bin"}).isEmpty();
    if (there) {
        mosquitto.start(QStandardPaths::findExecutable(QStringLiteral("mosquitto"), {"/usr/sbin", "/usr/bin"}),
                        {QStringLiteral("-p"), QString::number(port)});
        mosquitto.waitForStarted();
        QTest::qWait(300);
    }
    window.session().change(QStringLiteral("outputs"), [&](recipe::Recipe& r) {
        r.outlets = {text("peer", peer.port()), broker(port), table(port + 1000)};
    });
    if (auto ok = window.runPage()->release(QStringLiteral("bench")); !ok) {
        std::cerr << ok.error().text() << "\n";
        return 1;
    }
    window.showWorkspace(1);
    window.findChild<QDoubleSpinBox*>(QStringLiteral("pace"))->setValue(0);
    Paints paints;
    window.findChild<QWidget*>(QStringLiteral("verdictBand"))->installEventFilter(&paints);
    auto* run = window.runPage();
    const auto begun = Clock::now();
    run->start();
    double atTenth = 0;
    while (run->itemCount() < items && ms(Clock::now() - begun) < 900000) {
        QTest::qWait(20);
        if (atTenth == 0 && run->itemCount() >= items / 10) atTenth = memoryMb();
    }
    const double seconds = ms(Clock::now() - begun) / 1000;
    run->stop();
    QTest::qWait(1500);
    std::cout << "window: " << run->itemCount() << " items in " << seconds << " s ("
              << double(run->itemCount()) / seconds << " a second) to text, "
              << (there ? "broker" : "a broker that is away") << " and table; memory " << atTenth
              << " MB after a tenth, " << memoryMb() << " MB at the end; verdict painted "
              << double(paints.count) / seconds << " times a second, longest pause " << paints.longest
              << " ms; text peer got " << peer.count() << "\n";
    window.session().forgetRecovery();
    if (there) mosquitto.kill(), mosquitto.waitForFinished();
    return 0;
}
} // namespace

int main(int argc, char** argv)
{
    std::cout << std::unitbuf;
    QTemporaryDir place;
    qputenv("XDG_DATA_HOME", place.path().toUtf8());
    qputenv("XDG_CONFIG_HOME", place.path().toUtf8());
    QApplication application(argc, argv);
    QApplication::setApplicationName(QStringLiteral("dikkat-bench"));
    report::loadFonts();
    const int items = argc > 1 ? std::atoi(argv[1]) : 10000;
    const std::string folder = place.path().toStdString();
    if (auto ok = demo::writeReedPlates(folder, 3, 6); !ok) return 1;
    auto loaded = recipe::load(folder + "/reed-plate.dikkat");
    if (!loaded) return 1;
    auto prepared = inspect::Prepared::make(std::move(*loaded));
    const auto release = records::release(std::make_shared<const inspect::Prepared>(std::move(*prepared)), "bench");
    std::vector<std::shared_ptr<const image::Capture>> pictures;
    for (int n = 0; n < 6; ++n)
        pictures.push_back(std::make_shared<const image::Capture>(
            image::makeCapture(demo::plate(demo::Field{}, 3, n).picture, "memory-" + std::to_string(n))));
    constexpr int shots = 200;
    sayRate("5 MP, log and one text peer", wire(*release, pictures, {}, folder, shots), shots);
    // Nobody listens on these ports.
    sayRate("5 MP, and a dead peer, a dead broker",
            wire(*release, pictures, {text("dead", 9), broker(10)}, folder, shots), shots);
    const std::string small = folder + "/small";
    if (auto ok = demo::writeReedPlates(small, 3, 3, demo::Field{640, 480, 0.2, {}, {}}); !ok) return 1;
    return inTheWindow(items, small + "/reed-plate.dikkat", place.path() + QStringLiteral("/data"));
}
