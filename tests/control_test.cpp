// What others are told of every item, with real peers on the loopback: a socket, a serial line, an MQTT broker with its
// clients, a Modbus master.
#include "control/message.h"
#include "control/mqtt_output.h"
#include "control/outlets.h"
#include "control/text_output.h"
#include "recipe/recipe_file.h"
#include "recipe/robot.h"
#include "station/station.h"
#include "support_records.h"

#include <QProcess>
#include <QTcpServer>
#include <QTcpSocket>
#include <cmath>
#include <csignal>
#include <cstring>
#include <nlohmann/json.hpp>

using namespace control;
using namespace std::chrono_literals;
using recipe::Outlet;
using recipe::TextOutlet;
using support::barPicture;
using support::recipeOf;

namespace
{
// A port nobody uses just now.
int freePort()
{
    QTcpServer s;
    if (!s.listen(QHostAddress::LocalHost)) qFatal("no port");
    return s.serverPort();
}
double widthOf(int n) { return 56 + n % 9; }
// Bars of growing widths, of which some are too wide; every tenth picture is empty.
class Bars : public station::PictureSource
{
public:
    explicit Bars(int most) : m_left(most) {}
    std::string name() const override { return "bars"; }
    std::optional<station::Shot> next(const image::Naming&) override
    {
        if (m_left-- <= 0) return {};
        station::Shot shot;
        shot.id = "bar-" + std::to_string(m_at);
        shot.ready = std::make_shared<const image::Capture>(
            support::captureOf(barPicture(m_at % 10 == 9, widthOf(m_at)), shot.id));
        ++m_at;
        return shot;
    }

private:
    int m_left, m_at = 0;
};
recipe::Recipe named(recipe::Recipe r)
{
    r.name = "Bar";
    r.steps[0].name = r.steps[0].checks[0].name = "Width";
    r.steps[1].name = "Dark";
    recipe::findKind("blobs")->param("objects")->put(r.steps[1].params, std::string("dark"));
    return r;
}
station::LinePtr lineOf(const recipe::Recipe& r)
{
    auto line = std::make_shared<station::Line>();
    line->release = support::released(r);
    line->batch = "2211-A", line->station = "left";
    return line;
}
struct Heard {
    std::mutex mutex;
    std::vector<station::Logged> items;
    std::vector<std::pair<std::string, std::string>> troubles;
    station::Station::Listener listener()
    {
        return {{},
                [this](const station::Logged& l) {
                    const std::lock_guard lock(mutex);
                    items.push_back(l);
                },
                [this](const std::string& what, const std::string& message) {
                    const std::lock_guard lock(mutex);
                    troubles.emplace_back(what, message);
                },
                {},
                {}};
    }
    std::size_t count()
    {
        const std::lock_guard lock(mutex);
        return items.size();
    }
    bool said(const char* words)
    {
        const std::lock_guard lock(mutex);
        return std::any_of(troubles.begin(), troubles.end(),
                           [&](const auto& t) { return t.second.find(words) != std::string::npos; });
    }
};
Outlet textOutlet(TextOutlet::Way way, int port, const std::string& pattern)
{
    Outlet o;
    o.name = "text";
    o.text.way = way, o.text.port = port, o.text.pattern = pattern;
    return o;
}
} // namespace

class ControlTest : public QObject
{
    Q_OBJECT
    QTemporaryDir m_dir;

    // Runs so many bars through outputs of the recipe.
    void run(const recipe::Recipe& r, int items, Heard& heard, int pause = 0)
    {
        station::Station station({}, outputsOf(r, {}), heard.listener(), {1, 1});
        station.setLine(lineOf(r));
        station.setSource(std::make_shared<Bars>(items));
        station.setPause(pause);
        station.start();
        QVERIFY(station.settle(60s));
    }
    static QStringList linesOf(const QByteArray& text)
    {
        QStringList out = QString::fromUtf8(text).split("\r\n");
        if (!out.isEmpty() && out.back().isEmpty()) out.pop_back();
        return out;
    }
    // What the pattern "{number} {verdict} {Width:.2f|none}" must have given.
    static QString expected(const station::Logged& l)
    {
        const auto& item = l.result().items[0];
        const auto* width = item.check(item.checks[0].step, "distance");
        return QString("%1 %2 %3")
            .arg(l.inspected.taken.number)
            .arg(inspect::name(item.outcome))
            .arg(width->values.empty() ? QString("none") : QString::number(width->values[0], 'f', 2));
    }
    QByteArray call(const QString& program, const QStringList& arguments, int* code = nullptr)
    {
        QProcess p;
        p.setProcessChannelMode(QProcess::MergedChannels);
        p.start(program, arguments);
        if (!p.waitForFinished(20000)) p.kill();
        if (code) *code = p.exitCode();
        return p.readAll();
    }

private slots:
    // ---- patterns
    void patternsSayWhatIsWrongWithThem()
    {
        const recipe::Recipe r = named(recipeOf());
        const auto fault = [&](const char* pattern) {
            const auto m = Message::parse(pattern, r);
            return m ? std::string() : m.error().text();
        };
        for (const char* good : {"", "plain", "{verdict}", "{Width}", "{Width:.3f|none}", "{Dark.areas[2]}", "{{x}}",
                                 "{item.x:8.2f}", "\\x02{word:12s}\\x03", "{Sizes.verdict}"})
            QVERIFY2(fault(good).empty(), fault(good).c_str());
        for (const auto& [pattern, words] : {std::pair{"ab{Widht}", "character 4"},
                                             {"{Widht}", "Width"},
                                             {"{verdict", "not closed"},
                                             {"a}", "character 2"},
                                             {"{Width:.3q}", "no format"},
                                             {"{Width[0]}", "from 1"},
                                             {"a\\q", "backslash"},
                                             {"{Width:%n}", "no format"}})
            QVERIFY2(fault(pattern).find(words) != std::string::npos,
                     (std::string(pattern) + ": " + fault(pattern)).c_str());
    }
    void patternsAreFilled()
    {
        recipe::Recipe r = named(recipeOf());
        station::Logged l;
        l.inspected.taken.number = 7, l.inspected.taken.line = lineOf(r),
        l.inspected.taken.at = "2026-01-02T03:04:05.006Z";
        l.records = {41};
        const auto answer = [&](image::Image picture) {
            l.inspected.result = std::make_shared<const inspect::PictureResult>(
                inspect::evaluate(*inspect::Prepared::make(r), support::captureOf(std::move(picture), "bar.png")));
        };
        const auto filled = [&](const char* pattern) { return Message::parse(pattern, r)->of(l, 0); };
        answer(barPicture(false, 60));
        QCOMPARE(filled("{number}/{record} {verdict} {word}\\r\\n"), std::string("7/41 accept ACCEPT\r\n"));
        const double width = l.result().items[0].checks[0].values[0];
        QCOMPARE(QString::fromStdString(filled("[{Width:08.2f}]{Width:d};{Width.unit}")),
                 QString::asprintf("[%08.2f]%d;px", width, int(std::lround(width))));
        QCOMPARE(filled("{batch} {station} {recipe} {revision} {picture} {time}"),
                 std::string("2211-A left Bar 1 bar.png 2026-01-02T03:04:05.006Z"));
        QCOMPARE(QString::fromStdString(filled("{Dark.areas[1]:.0f} {Dark.areas[2]|0} {failed}")),
                 QString("%1 0 0").arg(l.result().items[0].checks[1].values.at(0), 0, 'f', 0));
        QCOMPARE(filled("{{{verdict:8s}}}\\x02"), std::string("{  accept}\x02"));
        answer(barPicture(false, 63));
        QCOMPARE(filled("{verdict} {failed} {first_failed} {Width.verdict}"), std::string("reject 1 1 fail"));
        answer(barPicture(true));
        QCOMPARE(filled("{verdict} {Width} {Width|none} {Width:.1f|99.9}"), std::string("reject - none 99.9"));
    }
    void outletsAreKeptWithTheRecipe()
    {
        recipe::Recipe r = named(recipeOf());
        r.outlets = {textOutlet(TextOutlet::Way::Listen, 4100, "{verdict}"), {}, {}};
        r.outlets[1].kind = Outlet::Kind::Broker, r.outlets[1].name = "broker",
        r.outlets[1].broker.topic = "plant/left";
        r.outlets[2].kind = Outlet::Kind::Registers, r.outlets[2].name = "table", r.outlets[2].inUse = false;
        const std::string path = m_dir.filePath("outlets.json").toStdString();
        QVERIFY(recipe::save(r, path).has_value());
        const auto again = recipe::load(path);
        QVERIFY2(again.has_value(), again ? "" : again.error().text().c_str());
        QVERIFY(again->outlets == r.outlets);
        const auto refused = [&](const char* from, const char* to) {
            auto text = *base::readFile(path);
            const auto at = text.find(from);
            if (at == std::string::npos) return std::string("not there");
            text.replace(at, std::string(from).size(), to);
            (void)base::realFiles().write(path + ".bad.json", text);
            const auto bad = recipe::load(path + ".bad.json");
            return bad ? std::string() : bad.error().text();
        };
        QVERIFY(refused("4100", "70000").find("outputs[0]: port = 70000 is outside") != std::string::npos);
        QVERIFY(refused("\"listen\"", "\"shout\"").find("connect, listen, serial") != std::string::npos);
        QVERIFY(refused("plant/left", "plant/#").find("topic") != std::string::npos);
        QVERIFY(refused("\"broker\"", "\"text\"").find("named \"text\" already") != std::string::npos);
        r.outlets[0].text.pattern = "{nobody}";
        QVERIFY(checkOutlets(r).error().text().find("\"text\": pattern") != std::string::npos);
    }

    // ---- text
    void aPeerReadsEveryItemInOrder()
    {
        QTcpServer peer;
        QVERIFY(peer.listen(QHostAddress::LocalHost));
        recipe::Recipe r = named(recipeOf());
        r.outlets = {
            textOutlet(TextOutlet::Way::Connect, peer.serverPort(), "{number} {verdict} {Width:.2f|none}\\r\\n")};
        Heard heard;
        run(r, 120, heard);
        QVERIFY(peer.waitForNewConnection(5000));
        std::unique_ptr<QTcpSocket> socket(peer.nextPendingConnection());
        QByteArray text;
        while (socket->state() == QAbstractSocket::ConnectedState || socket->bytesAvailable()) {
            text += socket->readAll();
            if (!socket->waitForReadyRead(2000)) break;
        }
        text += socket->readAll();
        const QStringList lines = linesOf(text);
        QCOMPARE(lines.size(), 120);
        QCOMPARE(heard.items.size(), std::size_t(120));
        for (int i = 0; i < 120; ++i) QCOMPARE(lines[i], expected(heard.items[std::size_t(i)]));
    }
    void aDeadPeerHoldsNobodyUpAndIsFoundAgain()
    {
        const int port = freePort();
        recipe::Recipe r = named(recipeOf());
        r.outlets = {textOutlet(TextOutlet::Way::Connect, port, "{number}\\r\\n")};
        Heard heard;
        station::Station station({}, outputsOf(r, {}), heard.listener(), {1, 1});
        station.setLine(lineOf(r));
        station.setSource(std::make_shared<Bars>(1'000'000));
        station.setPause(5);
        QElapsedTimer since;
        since.start();
        station.start();
        QTRY_VERIFY_WITH_TIMEOUT(heard.count() > 100, 20000);
        QVERIFY2(since.elapsed() < 6000, qPrintable(QString::number(since.elapsed()))); // 100 items at 5 ms
        QTRY_VERIFY(heard.said("cannot connect"));
        QTcpServer peer;
        QVERIFY(peer.listen(QHostAddress::LocalHost, quint16(port)));
        QVERIFY(peer.waitForNewConnection(10000));
        std::unique_ptr<QTcpSocket> socket(peer.nextPendingConnection());
        QVERIFY(socket->waitForReadyRead(5000));
        station.stop();
        QVERIFY(station.settle(10s));
        // From there on every number, in order.
        QByteArray text = socket->readAll();
        while (socket->waitForReadyRead(300)) text += socket->readAll();
        const QStringList lines = linesOf(text);
        QVERIFY(lines.size() >= 1);
        for (int i = 1; i < lines.size(); ++i) QCOMPARE(lines[i].toInt(), lines[i - 1].toInt() + 1);
    }
    void guestsAreTold()
    {
        const int port = freePort();
        recipe::Recipe r = named(recipeOf());
        r.outlets = {textOutlet(TextOutlet::Way::Listen, port, "{number} {verdict} {Width:.2f|none}\\r\\n")};
        Heard heard;
        station::Station station({}, outputsOf(r, {}), heard.listener(), {1, 1});
        QTcpSocket one, two;
        for (QTcpSocket* s : {&one, &two})
            QVERIFY(support::waitFor(
                [&] {
                    s->connectToHost(QHostAddress::LocalHost, quint16(port));
                    return s->waitForConnected(200);
                },
                5000));
        station.setLine(lineOf(r));
        station.setSource(std::make_shared<Bars>(40));
        station.start();
        QVERIFY(station.settle(20s));
        for (QTcpSocket* s : {&one, &two}) {
            QByteArray text;
            do text += s->readAll();
            while (linesOf(text).size() < 40 && s->waitForReadyRead(2000));
            const QStringList lines = linesOf(text);
            QCOMPARE(lines.size(), 40);
            for (int i = 0; i < 40; ++i) QCOMPARE(lines[i], expected(heard.items[std::size_t(i)]));
        }
    }
    void aSerialLineIsTold()
    {
        QProcess socat;
        const QString a = m_dir.filePath("serial-a"), b = m_dir.filePath("serial-b");
        socat.start("socat", {"pty,raw,echo=0,link=" + a, "pty,raw,echo=0,link=" + b});
        QVERIFY2(socat.waitForStarted(5000), "socat is needed");
        QTRY_VERIFY(QFile::exists(a) && QFile::exists(b));
        recipe::Recipe r = named(recipeOf());
        r.outlets = {textOutlet(TextOutlet::Way::Serial, 1, "{number} {verdict} {Width:.2f|none}\\r\\n")};
        r.outlets[0].text.device = a.toStdString();
        QFile end(b);
        QVERIFY(end.open(QIODevice::ReadOnly | QIODevice::Unbuffered));
        Heard heard;
        run(r, 30, heard);
        QByteArray text;
        while (linesOf(text).size() < 30) {
            const QByteArray more = end.read(1);
            if (more.isEmpty()) break;
            text += more;
        }
        while (!text.endsWith("\r\n")) text += end.read(1);
        const QStringList lines = linesOf(text);
        QCOMPARE(lines.size(), 30);
        for (int i = 0; i < 30; ++i) QCOMPARE(lines[i], expected(heard.items[std::size_t(i)]));
        socat.terminate();
        QVERIFY(socat.waitForFinished(5000));
    }

    // ---- MQTT
    // A broker of our own, with what its configuration says.
    std::unique_ptr<QProcess> broker(const QString& configuration)
    {
        const QString file = m_dir.filePath("mosquitto.conf");
        QFile out(file);
        if (!out.open(QIODevice::WriteOnly)) qFatal("no file");
        out.write(configuration.toUtf8());
        out.close();
        auto p = std::make_unique<QProcess>();
        const QString program = QFile::exists("/usr/sbin/mosquitto") ? "/usr/sbin/mosquitto" : "mosquitto";
        p->start(program, {"-c", file});
        return p;
    }
    static bool answers(int port)
    {
        return support::waitFor(
            [&] {
                QTcpSocket s;
                s.connectToHost(QHostAddress::LocalHost, quint16(port));
                return s.waitForConnected(200);
            },
            10000);
    }
    static void end(QProcess& p)
    {
        p.terminate();
        if (!p.waitForFinished(5000)) p.kill(), p.waitForFinished(2000);
    }
    static Outlet brokerOutlet(int port)
    {
        Outlet o;
        o.kind = Outlet::Kind::Broker, o.name = "broker";
        o.broker.port = port, o.broker.topic = "plant/left";
        return o;
    }
    void aBrokerThatWasAwayGetsAllInOrderAndNoneTwice()
    {
        const int port = freePort();
        // It remembers its listeners when it ends: whoever of the two comes back first, nothing is lost between them.
        const QString configuration = QString("listener %1 127.0.0.1\nallow_anonymous true\nuser root\n"
                                              "persistence true\npersistence_location %2/\n")
                                          .arg(port)
                                          .arg(m_dir.path());
        auto server = broker(configuration);
        QVERIFY2(server->waitForStarted(5000), "mosquitto is needed");
        QVERIFY(answers(port));
        QProcess listener;
        listener.start("mosquitto_sub", {"-h", "127.0.0.1", "-p", QString::number(port), "-t", "plant/left/item", "-q",
                                         "1", "-i", "listener", "-c"});
        QVERIFY2(listener.waitForStarted(5000), "mosquitto_sub is needed");
        QTest::qWait(500);
        QByteArray said;
        const auto arrived = [&] {
            said += listener.readAllStandardOutput();
            return said.count('\n');
        };
        recipe::Recipe r = named(recipeOf());
        r.outlets = {brokerOutlet(port)};
        Heard heard;
        {
            station::Station station({}, outputsOf(r, {}), heard.listener(), {1, 1});
            station.setLine(lineOf(r));
            station.setSource(std::make_shared<Bars>(150));
            const auto take = [&](int n) {
                for (int i = 0; i < n; ++i) station.takeOne();
                QVERIFY(station.settle(20s));
            };
            take(50);
            QVERIFY(support::waitFor([&] { return arrived() >= 50; }, 20000));
            end(*server);
            QTest::qWait(300);
            take(50); // while nobody is there
            QTRY_VERIFY_WITH_TIMEOUT(heard.said("messages wait"), 5000);
            server = broker(configuration);
            QVERIFY(answers(port));
            QVERIFY(support::waitFor([&] { return arrived() >= 100; }, 40000)); // found again by itself, by both
            take(50);
            QVERIFY(support::waitFor([&] { return arrived() >= 150; }, 20000));
            QTest::qWait(300); // nothing comes twice
        }
        end(listener);
        end(*server);
        arrived();
        const QList<QByteArray> lines = said.split('\n');
        std::vector<int> numbers;
        for (const QByteArray& line : lines) {
            if (line.trimmed().isEmpty()) continue;
            const auto j = nlohmann::json::parse(line.toStdString());
            numbers.push_back(j["number"].get<int>());
            const auto& item = heard.items.at(std::size_t(numbers.back() - 1)).result().items[0];
            QCOMPARE(j["verdict"].get<std::string>(), std::string(inspect::name(item.outcome)));
            if (!item.checks[0].values.empty())
                QCOMPARE(j["checks"][0]["value"].get<double>(), item.checks[0].values[0]);
            QCOMPARE(j["batch"].get<std::string>(), std::string("2211-A"));
        }
        QCOMPARE(numbers.size(), std::size_t(150));
        for (int i = 0; i < 150; ++i) QCOMPARE(numbers[std::size_t(i)], i + 1);
    }
    void aBrokerThatComesLaterIsFound()
    {
        const int port = freePort();
        recipe::Recipe r = named(recipeOf());
        MqttOutput out(brokerOutlet(port));
        out.begin();
        for (int i = 1; i <= 3; ++i) {
            station::Logged l;
            l.inspected.taken.number = std::uint64_t(i), l.inspected.taken.line = lineOf(r);
            l.inspected.result = std::make_shared<const inspect::PictureResult>(support::resultOf(r));
            const auto told = out.tell(l);
            QVERIFY(!told.has_value() && told.error().text().find("yet") != std::string::npos);
        }
        QTest::qWait(1200);
        auto server = broker(QString("listener %1 127.0.0.1\nallow_anonymous true\nuser root\n").arg(port));
        QVERIFY(answers(port));
        QTRY_COMPARE_WITH_TIMEOUT(out.waiting(), std::size_t(0), 10000);
        out.end();
        end(*server);
        // And one that nobody ever answers ends at once.
        MqttOutput alone(brokerOutlet(freePort()));
        alone.begin();
        QElapsedTimer since;
        since.start();
        alone.end();
        QVERIFY(since.elapsed() < 2000);
    }
    void theStateIsRetainedAndTheWillIsDone()
    {
        const int port = freePort();
        auto server = broker(QString("listener %1 127.0.0.1\nallow_anonymous true\nuser root\n").arg(port));
        QVERIFY(answers(port));
        const auto state = [&] {
            return call("mosquitto_sub", {"-h", "127.0.0.1", "-p", QString::number(port), "-t", "plant/left/state",
                                          "-C", "1", "-W", "3"})
                .trimmed();
        };
        {
            MqttOutput out(brokerOutlet(port));
            out.begin();
            QTRY_COMPARE(state(), QByteArray("online"));
            out.end();
        }
        QCOMPARE(state(), QByteArray("offline"));
        end(*server);
    }
    void aWrongPasswordIsSaid()
    {
        const int port = freePort();
        const QString passwords = m_dir.filePath("passwords");
        int code = 1;
        call("mosquitto_passwd", {"-b", "-c", passwords, "line", "right"}, &code);
        QCOMPARE(code, 0);
        auto server = broker(QString("listener %1 127.0.0.1\npassword_file %2\nuser root\n").arg(port).arg(passwords));
        QVERIFY(answers(port));
        const QString secret = m_dir.filePath("secret");
        for (const char* word : {"wrong", "right"}) {
            QFile out(secret);
            QVERIFY(out.open(QIODevice::WriteOnly));
            out.write(word);
            out.close();
            recipe::Recipe r = named(recipeOf());
            r.outlets = {brokerOutlet(port)};
            r.outlets[0].broker.user = "line", r.outlets[0].broker.passwordFile = secret.toStdString();
            Heard heard;
            station::Station station({}, outputsOf(r, {}), heard.listener(), {1, 1});
            QTest::qWait(1500);
            station.setLine(lineOf(r));
            station.setSource(std::make_shared<Bars>(1));
            station.takeOne();
            QVERIFY(station.settle(10s));
            QTest::qWait(200);
            QCOMPARE(heard.said("refuses"), std::string(word) == "wrong");
        }
        end(*server);
    }
    void aBrokerIsKnownByItsAuthority()
    {
        const QString key = m_dir.filePath("key.pem"), certificate = m_dir.filePath("cert.pem"),
                      other = m_dir.filePath("other.pem");
        for (const QString& file : {certificate, other}) {
            int code = 1;
            call("openssl",
                 {"req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "2", "-subj", "/CN=127.0.0.1", "-addext",
                  "subjectAltName=IP:127.0.0.1", "-keyout", file == certificate ? key : m_dir.filePath("k2.pem"),
                  "-out", file},
                 &code);
            QCOMPARE(code, 0);
        }
        const int port = freePort();
        auto server =
            broker(QString("listener %1 127.0.0.1\nallow_anonymous true\nuser root\ncertfile %2\nkeyfile %3\n")
                       .arg(port)
                       .arg(certificate, key));
        QVERIFY(answers(port));
        for (const bool right : {true, false}) {
            recipe::Recipe r = named(recipeOf());
            r.outlets = {brokerOutlet(port)};
            r.outlets[0].broker.authority = (right ? certificate : other).toStdString();
            MqttOutput out(r.outlets[0]);
            out.begin();
            station::Logged l;
            l.inspected.taken.line = lineOf(r);
            l.inspected.result = std::make_shared<const inspect::PictureResult>(support::resultOf(r));
            (void)out.tell(l);
            QTest::qWait(1500);
            QCOMPARE(out.waiting(), std::size_t(right ? 0 : 1)); // nothing goes to a stranger
            out.end();
        }
        end(*server);
    }

    // ---- Modbus
    static Outlet registerOutlet(int port)
    {
        Outlet o;
        o.kind = Outlet::Kind::Registers, o.name = "table";
        o.registers.port = port, o.registers.elements = 4;
        return o;
    }
    // What a Modbus master reads: so many of a type from an address on.
    std::vector<double> poll(int port, const char* type, int address, int count = 1)
    {
        const QByteArray text = call("mbpoll", {"-1", "-0", "-B", "-t", type, "-r", QString::number(address), "-c",
                                                QString::number(count), "-p", QString::number(port), "127.0.0.1"});
        std::vector<double> out;
        for (const QByteArray& line : text.split('\n'))
            if (line.startsWith('[')) {
                const QByteArray value = line.mid(line.indexOf(':') + 1).trimmed();
                out.push_back(value.contains("nan") ? std::nan("") : value.split(' ').front().toDouble());
            }
        return out;
    }
    bool write(int port, const char* type, int address, int value)
    {
        int code = 1;
        call("mbpoll",
             {"-1", "-0", "-t", type, "-r", QString::number(address), "-p", QString::number(port), "127.0.0.1",
              QString::number(value)},
             &code);
        return code == 0;
    }
    int addressOf(const std::vector<Register>& table, Register::Area area, const std::string& name,
                  const char* meaning = "")
    {
        for (const Register& r : table)
            if (r.area == area && r.name == name && r.meaning.find(meaning) != std::string::npos) return r.address;
        qFatal("no register %s", name.c_str());
    }
    void aMasterReadsWhatWasLogged()
    {
        using Area = Register::Area;
        const int port = freePort();
        recipe::Recipe r = named(recipeOf());
        r.outlets = {registerOutlet(port)};
        r.outlets[0].registers.handshake = true;
        const auto table = registerTable(r, r.outlets[0].registers);
        const int value = addressOf(table, Area::InputRegister, "Width"),
                  fails = addressOf(table, Area::DiscreteInput, "Width", "fails"),
                  measured = addressOf(table, Area::DiscreteInput, "Width", "measured"),
                  sizes = addressOf(table, Area::InputRegister, "Sizes", "number of elements"),
                  first = addressOf(table, Area::InputRegister, "Sizes [1]");
        Heard heard;
        std::atomic<station::Station*> standing{nullptr};
        ModbusOutput::Commands commands;
        commands.trigger = [&] { standing.load()->takeOne(); };
        station::Station station({}, outputsOf(r, commands), heard.listener(), {1, 1});
        standing = &station;
        station.setLine(lineOf(r));
        constexpr int items = 200;
        station.setSource(std::make_shared<Bars>(items + 10));
        QVERIFY(answers(port));
        QCOMPARE(poll(port, "3", 2), std::vector<double>{0}); // no verdict yet
        demo::Random random(3);
        for (int i = 0; i < items; ++i) {
            if (i % 16 == 5) QTest::qWait(random.below(40)); // a client that takes its time
            QVERIFY(write(port, "0", 0, 1));                 // trigger
            QVERIFY(support::waitFor([&] { return poll(port, "1", 2) == std::vector<double>{1}; }, 5000)); // done
            const auto words = poll(port, "3", 0, 8), bits = poll(port, "1", 0, 20);
            QCOMPARE(int(words.at(0) * 65536 + words.at(1)), i + 1);
            const auto& item = heard.items.at(std::size_t(i)).result().items[0];
            QCOMPARE(int(words.at(2)), item.accepted() ? 1 : 2);
            QCOMPARE(int(bits.at(3)), int(item.accepted()));
            const auto& width = item.checks[0];
            QCOMPARE(int(bits.at(std::size_t(fails))), int(width.verdict == inspect::Verdict::Fail));
            QCOMPARE(int(bits.at(std::size_t(measured))), int(!width.values.empty()));
            QCOMPARE(int(words.at(3)), int(std::count_if(item.checks.begin(), item.checks.end(), [](const auto& c) {
                         return c.verdict == inspect::Verdict::Fail;
                     })));
            if (i % 4 == 0 || i % 10 == 9) {
                const auto seen = poll(port, "3:float", value);
                if (width.values.empty()) QVERIFY(std::isnan(seen.at(0)));
                else QVERIFY2(std::abs(seen.at(0) - width.values[0]) < 1e-3, qPrintable(QString::number(seen.at(0))));
            }
            if (i == 3) { // a list: how many, and each
                const auto& list = item.checks[1];
                QVERIFY(!list.values.empty());
                QCOMPARE(poll(port, "3", sizes).at(0), double(list.values.size()));
                QVERIFY(std::abs(poll(port, "3:float", first).at(0) - list.values[0]) < 1);
            }
            QVERIFY(write(port, "0", 1, 1)); // acknowledge
            QCOMPARE(poll(port, "1", 2).at(0), 0.0);
        }
        QCOMPARE(heard.items.size(), std::size_t(items)); // none lost, none repeated
        QCOMPARE(poll(port, "3", 11).at(0), 0.0);         // none refused
        // A trigger on top of an item that nobody acknowledged is refused and counted.
        QVERIFY(write(port, "0", 0, 1));
        QVERIFY(support::waitFor([&] { return poll(port, "1", 2).at(0) == 1; }, 5000));
        QVERIFY(write(port, "0", 0, 1));
        QCOMPARE(poll(port, "3", 11).at(0), 1.0);
        QVERIFY(write(port, "0", 1, 1));
        QTest::qWait(100);
        QCOMPARE(heard.items.size(), std::size_t(items + 1));
        // The heart beats.
        const double beats = poll(port, "3", 10).at(0);
        QTest::qWait(1200);
        QVERIFY(poll(port, "3", 10).at(0) > beats);
    }
    void theRecipeIsChosenByNumber()
    {
        const int port = freePort();
        recipe::Recipe r = named(recipeOf()), wide = named(recipeOf(80));
        r.outlets = {registerOutlet(port)};
        wide.revision = 9;
        const std::vector<station::LinePtr> lines{lineOf(r), lineOf(wide)};
        Heard heard;
        std::atomic<station::Station*> standing{nullptr};
        ModbusOutput::Commands commands;
        commands.trigger = [&] { standing.load()->takeOne(); };
        commands.choose = [&](int n) -> base::Status {
            if (n > 2) return base::fail(base::ErrorCode::NotFound, "no such recipe");
            standing.load()->setLine(lines[std::size_t(n - 1)]);
            return {};
        };
        station::Station station({}, outputsOf(r, commands), heard.listener(), {1, 1});
        standing = &station;
        station.setLine(lines[0]);
        station.setSource(std::make_shared<Bars>(100));
        QVERIFY(answers(port));
        const auto take = [&] {
            QVERIFY(write(port, "0", 0, 1));
            QVERIFY(support::waitFor([&] { return poll(port, "1", 2).at(0) == 1; }, 5000));
        };
        take();
        QCOMPARE(poll(port, "3", 8).at(0), 1.0);
        QVERIFY(write(port, "0", 1, 1));
        QVERIFY(write(port, "4", 1, 2)); // recipe 2, from the next item on
        QCOMPARE(poll(port, "3", 9).at(0), 2.0);
        take();
        QCOMPARE(poll(port, "3", 8).at(0), 9.0);
        QVERIFY(write(port, "0", 1, 1));
        QVERIFY(write(port, "4", 1, 7)); // there is none: said, the line stays as it is
        QCOMPARE(poll(port, "3", 12).at(0), 1.0);
        QCOMPARE(poll(port, "3", 9).at(0), 2.0);
        take();
        QCOMPARE(poll(port, "3", 8).at(0), 9.0);
    }
    // An item at a known place under a recipe with a robot's frame.
    static station::Logged placed(recipe::Recipe r, geometry::Pose pose)
    {
        inspect::PictureResult result;
        result.picture = "placed";
        inspect::ItemResult item;
        item.number = 1;
        item.pose = pose;
        for (const recipe::Step& s : r.steps)
            for (const recipe::Check& c : s.checks) {
                inspect::CheckResult one;
                one.step = s.id, one.output = c.output, one.name = c.name;
                item.checks.push_back(one);
            }
        item.checks[0].values = {26.0137}, item.checks[0].verdict = inspect::Verdict::Pass;
        item.checks[1].verdict = inspect::Verdict::NotMeasured;
        result.items = {item};
        station::Logged logged;
        logged.inspected.taken.line = lineOf(r);
        logged.inspected.result = std::make_shared<const inspect::PictureResult>(result);
        return logged;
    }
    void aRobotIsToldPlacesInItsOwnFrame()
    {
        recipe::Recipe r = named(recipeOf());
        const auto text = [&](const char* pattern, const station::Logged& l) {
            const auto m = Message::parse(pattern, l.line().release->recipe());
            return m ? m->of(l, 0) : "refused: " + m.error().message;
        };
        const geometry::Pose pose{{300, 200}, geometry::radians(30)};
        QCOMPARE(text("{robot.x|none}", placed(r, pose)), std::string("none")); // no frame is stated
        // The robot's x runs along the picture's, y upwards, 0.1 mm a px, (300, 200) px is (130, -20) mm.
        r.robot.pairs = {{{0, 0}, false, {100, 0}}, {{1000, 0}, false, {200, 0}}, {{0, 1000}, false, {100, -100}}};
        QCOMPARE(text("{robot.x} {robot.y} {robot.angle}", placed(r, pose)), std::string("130.000 -20.000 30.000"));
        const auto message = nlohmann::json::parse(itemMessage(placed(r, pose), 0));
        QVERIFY(std::abs(message["robot"]["x"].get<double>() - 130) < 1e-9);
        // Two pairs: which way y runs is stated.
        r.robot.pairs.pop_back();
        r.robot.mirrored = true;
        QCOMPARE(text("{robot.y:.1f}", placed(r, pose)), std::string("-20.0"));
        r.robot.mirrored = false;
        QCOMPARE(text("{robot.y:.1f}", placed(r, pose)), std::string("20.0"));
        // In mm of the calibration; not without one.
        r.robot.pairs = {{{0, 0}, true, {100, 0}}, {{50, 0}, true, {150, 0}}};
        QVERIFY(!recipe::robotMap(r));
        r.calibration = geometry::Calibration::factor(0.05, "test");
        QCOMPARE(text("{robot.x} {item.x}", placed(r, pose)), std::string("115.000 15.000"));
        // As its file says it; broken ones are refused with field and bound.
        const auto again = recipe::robotFromJson(recipe::robotToJson(r.robot), "robot");
        QVERIFY(again && *again == r.robot);
        for (const char* broken : {"{}", "{\"pairs\":3}", "{\"pairs\":[{\"robot\":[1,2]}]}",
                                   "{\"pairs\":[{\"mm\":[1,2],\"picture\":[1,2],\"robot\":[1,2]}]}",
                                   "{\"pairs\":[{\"mm\":[1,2e9],\"robot\":[1,2]}]}", "{\"pairs\":[],\"x\":1}"})
            QVERIFY2(!recipe::robotFromJson(nlohmann::json::parse(broken), "robot"), broken);
    }
    void valuesAreWholeNumbersWhereTheOtherSideKnowsNoOthers()
    {
        using Area = Register::Area;
        using Values = recipe::RegisterOutlet::Values;
        recipe::Recipe r = named(recipeOf());
        r.calibration = geometry::Calibration::factor(0.05, "test");
        for (const Values as : {Values::Int16, Values::Int32, Values::Float32}) {
            for (const bool lowFirst : {false, true}) {
                Outlet o = registerOutlet(502);
                o.registers.values = as, o.registers.lowWordFirst = lowFirst, o.registers.scale = 1000;
                const auto back = recipe::outletFromJson(recipe::outletToJson(o), "o");
                QVERIFY(back && *back == o);
                const auto table = registerTable(r, o.registers);
                const auto logged = placed(r, {{300, 200}, geometry::radians(30)});
                const RegisterValues v = valuesOf(logged, 0, o.registers);
                // Read as the other side does, from its words.
                const auto read = [&](const Register& at) {
                    const auto word = [&](int i) { return v.words.at(at.address + i); };
                    if (at.words == 1) return double(std::int16_t(word(0)));
                    const std::uint32_t whole =
                        lowFirst ? std::uint32_t(word(1)) << 16 | word(0) : std::uint32_t(word(0)) << 16 | word(1);
                    float real = 0;
                    std::memcpy(&real, &whole, sizeof real);
                    return as == Values::Float32 ? double(real) : double(std::int32_t(whole));
                };
                std::map<int, std::set<int>> taken;
                for (const Register& one : table) {
                    for (int w = 0; w < one.words; ++w)
                        QVERIFY2(taken[int(one.area)].insert(one.address + w).second, one.name.c_str());
                    if (one.area != Area::InputRegister) continue;
                    if (one.name == "Width" && one.type != "uint16") {
                        const double wanted = as == Values::Float32 ? 26.0137 : as == Values::Int16 ? 26014 : 26014;
                        QVERIFY2(std::abs(read(one) - wanted) < 1e-5, qPrintable(QString::number(read(one))));
                    }
                    if (one.name == "place angle")
                        QVERIFY2(std::abs(read(one) - (as == Values::Float32 ? 30 : 30000)) < 1e-4,
                                 qPrintable(QString::number(read(one))));
                    if (one.name == "Sizes [1]") { // not measured
                        if (as == Values::Float32) QVERIFY(std::isnan(read(one)));
                        else QCOMPARE(read(one), as == Values::Int16 ? -32768.0 : -2147483648.0);
                    }
                }
                // What does not fit is held at the end, never taken for what is not there.
                o.registers.scale = 1e9;
                const RegisterValues far = valuesOf(logged, 0, o.registers);
                if (as == Values::Int16)
                    QCOMPARE(std::int16_t(far.words.at(addressOf(table, Area::InputRegister, "Width"))),
                             std::int16_t(32767));
            }
        }
        Outlet o = registerOutlet(502);
        auto j = recipe::outletToJson(o);
        j["values"] = "int8";
        QVERIFY(!recipe::outletFromJson(j, "o"));
        j["values"] = "int16", j["scale"] = 0;
        QVERIFY(!recipe::outletFromJson(j, "o"));
    }
    void theTableIsForTheOtherSide()
    {
        const recipe::Recipe r = named(recipeOf());
        const auto table = registerTable(r, registerOutlet(502).registers);
        // No address twice, and none reaches into the next.
        std::map<int, std::set<int>> taken;
        for (const Register& one : table)
            for (int w = 0; w < one.words; ++w)
                QVERIFY2(taken[int(one.area)].insert(one.address + w).second, one.name.c_str());
        const std::string csv = tableAsCsv(table), markdown = tableAsMarkdown(table);
        QVERIFY(csv.find("\ninput register,100,2,float32,\"Width\",") != std::string::npos);
        QVERIFY(markdown.find("| coil | 0 | 1 | bit | trigger |") != std::string::npos);
        QCOMPARE(std::count(csv.begin(), csv.end(), '\n'), std::ptrdiff_t(table.size() + 1));
    }
};

QTEST_GUILESS_MAIN(ControlTest)
#include "control_test.moc"
