#include "base/files.h"
#include "cli/commands.h"
#include "cli/json_results.h"
#include "support.h"

#include <QSqlDatabase>
#include <nlohmann/json.hpp>
#include <sstream>

class CliTest : public QObject
{
    Q_OBJECT
    QTemporaryDir m_dir;
    std::string m_recipe;
    std::ostringstream m_out, m_err;

    int call(const std::vector<std::string>& arguments)
    {
        m_out.str({}), m_err.str({});
        return cli::run(arguments, m_out, m_err);
    }
    std::string at(const char* leaf) { return m_dir.filePath(leaf).toStdString(); }

private slots:
    void initTestCase() { m_recipe = support::writeDemo(m_dir, 6); }

    void exitCodesFollowTheItems()
    {
        QCOMPARE(call({"inspect", m_recipe, at("plate-001.png"), at("plate-002.png")}), 0);
        QCOMPARE(call({"inspect", m_recipe, at("plate-001.png"), at("plate-003.png")}), 1);
        QVERIFY(m_out.str().find("plate-003.png: reject  Slots 9") != std::string::npos);
        QCOMPARE(call({"inspect", m_recipe, at("gone.png"), at("plate-001.png")}), 2);
        QVERIFY(m_err.str().find("gone.png") != std::string::npos);
        QVERIFY(m_out.str().find("plate-001.png: accept") != std::string::npos); // the rest is still inspected
    }
    void reviewSaysWhatIsDoubtful()
    {
        const int code = call({"review", m_recipe, "--json", "-"});
        const auto j = nlohmann::json::parse(m_out.str());
        QCOMPARE(j["trials"].get<int>(), 6);
        QCOMPARE(code, j["findings"].empty() ? 0 : 1);
        std::size_t lines = 0;
        for (const char c : m_err.str()) lines += c == '\n';
        QCOMPARE(lines, j["findings"].size() + 1); // the same for a person, and a last line that counts
        for (const auto& f : j["findings"]) {
            for (const char* key : {"doubt", "about", "text", "remedy"}) QVERIFY2(f[key].is_string() && !f[key].get<std::string>().empty(), key);
            QVERIFY(f["doubt"] != "unit" && f["doubt"] != "label"); // the demo is in order
        }
        // A copy whose width is limited in px: the value is in mm.
        QCOMPARE(call({"unpack", m_recipe, at("doubtful")}), 0);
        const std::string file = at("doubtful/recipe.json");
        auto recipe = nlohmann::json::parse(*base::readFile(file));
        for (auto& s : recipe["steps"])
            if (s["id"] == "width") s["checks"][0]["unit"] = "px";
        QVERIFY(base::realFiles().write(file, recipe.dump()));
        QCOMPARE(call({"review", at("doubtful")}), 1);
        QVERIFY2(m_out.str().find("limit in another unit: Width: the limit is in px, the value in mm") == 0, m_out.str().c_str());
    }
    void jsonHasThePromisedKeys()
    {
        QCOMPARE(call({"inspect", m_recipe, at("plate-001.png"), at("plate-003.png"), at("truth.json"), "--json", "-", "--jobs", "1"}), 2);
        const auto j = nlohmann::json::parse(m_out.str());
        QCOMPARE(j["revision"].get<int>(), 1);
        QCOMPARE(int(j["pictures"].size()), 3);
        const auto& p = j["pictures"][0];
        QVERIFY(p["error"].is_null() && p["items"].size() == 1);
        const auto& item = p["items"][0];
        QVERIFY(item["item"] == 1 && item["verdict"] == "accept" && item["milliseconds"].get<double>() > 0);
        const auto& datum = item["steps"][0];
        QVERIFY(datum["kind"] == "pattern" && datum["state"] == "ok" && datum["reason"].is_null());
        for (const auto& [key, unit] : {std::pair{"x", "px"}, {"y", "px"}, {"angle", "°"}, {"score", ""}})
            QCOMPARE(datum["outputs"][key]["unit"].get<std::string>(), std::string(unit));
        bool width = false;
        for (const auto& c : item["checks"]) {
            for (const char* key : {"step", "name", "unit", "nominal", "low", "high", "verdict", "reason"}) QVERIFY2(c.contains(key), key);
            QVERIFY(c.contains("value") != c.contains("values"));
            if (c["name"] == "Width")
                width = std::abs(c["value"].get<double>() - 26) < 0.06 && c["nominal"] == 26.0 && std::abs(c["low"].get<double>() - 25.95) < 1e-9 &&
                        c["unit"] == "mm";
        }
        QVERIFY(width);
        QVERIFY(j["pictures"][2]["error"].is_string() && j["pictures"][2]["items"].empty());
    }
    void everythingIsWrittenWhereAsked()
    {
        QCOMPARE(call({"inspect", m_recipe, at("plate-001.png"), at("plate-003.png"), "--json", at("r.json"), "--csv", at("r.csv"), "--log",
                       at("r.sqlite"), "--annotate", at("annotated")}),
                 1);
        QVERIFY(QFile::exists(m_dir.filePath("r.json")) && QFile::exists(m_dir.filePath("r.sqlite")));
        QCOMPARE(int(QString::fromStdString(*base::readFile(at("r.csv"))).count('\n')), 3);
        const auto drawn = image::loadCapture(at("annotated/plate-003-annotated.png"));
        QVERIFY(drawn && drawn->grey.width() == support::smallField().width);
        QCOMPARE(call({"inspect", m_recipe, at("plate-001.png"), "--csv", at("r.csv")}), 0); // grows
        QCOMPARE(int(QString::fromStdString(*base::readFile(at("r.csv"))).count('\n')), 4);
    }
    void badUsageIsNamed()
    {
        for (const auto& [arguments, says] : {std::pair<std::vector<std::string>, std::string>{{}, "a command is missing"},
                                              {{"fly"}, "unknown command"},
                                              {{"review"}, "review takes one recipe"},
                                              {{"review", "none.dikkat"}, "none.dikkat"},
                                              {{"review", m_recipe, "--json", "/proc/none/x.json"}, "/proc/none/x.json"},
                                              {{"inspect", m_recipe}, "at least one picture"},
                                              {{"inspect", "none.dikkat", "x.png"}, "none.dikkat"},
                                              {{"inspect", m_recipe, "x.png", "--jsn", "a"}, "unknown option --jsn"},
                                              {{"inspect", m_recipe, "x.png", "--jobs", "-3"}, "--jobs = -3"},
                                              {{"inspect", m_recipe, "x.png", "--json"}, "--json needs a value"},
                                              {{"inspect", m_recipe, at("plate-001.png"), "--json", "/proc/none/x.json"}, "/proc/none/x.json"},
                                              {{"inspect", m_recipe, at("plate-001.png"), "--log", "/proc/none/x.sqlite"}, "/proc/none/x.sqlite"},
                                              {{"demo", at("d"), "--set", "other"}, "is not one of: reed-plate"},
                                              {{"demo", at("d"), "--count", "0"}, "--count = 0"},
                                              {{"demo", "/proc/none"}, "/proc/none"},
                                              {{"pack", at("nothing"), at("x.dikkat")}, "nothing"}}) {
            QCOMPARE(call(arguments), 2);
            QVERIFY2(m_err.str().find(says) != std::string::npos, (says + " / " + m_err.str()).c_str());
        }
        QCOMPARE(call({"--help"}), 0);
    }
    void packAndUnpackGoRound()
    {
        QCOMPARE(call({"unpack", m_recipe, at("open")}), 0);
        QVERIFY(QFile::exists(m_dir.filePath("open/recipe.json")) && QFile::exists(m_dir.filePath("open/reference.png")));
        QCOMPARE(call({"pack", at("open"), at("open/again.dikkat")}), 0);
        QCOMPARE(call({"inspect", at("open/again.dikkat"), at("plate-002.png")}), 0);
        QCOMPARE(call({"inspect", at("open"), at("plate-002.png")}), 0);
    }
    void sameSeedSameBytes()
    {
        const demo::Field f = support::smallField();
        for (int n = 0; n < 15; ++n) {
            const auto a = demo::plate(f, 9, n), b = demo::plate(f, 9, n), c = demo::plate(f, 10, n);
            QVERIFY(std::equal(a.picture.row(0), a.picture.row(0) + a.picture.byteCount(), b.picture.row(0)));
            QVERIFY(!std::equal(a.picture.row(0), a.picture.row(0) + a.picture.byteCount(), c.picture.row(0)));
        }
    }
    void aThirdOfTheSetIsFaultyAndEachFaultThere()
    {
        std::set<demo::Fault> seen;
        int faulty = 0;
        for (int n = 0; n < 24; ++n) {
            const auto t = demo::plate({204, 171, 0.624}, 1, n).truth;
            if (t.fault != demo::Fault::None) ++faulty, seen.insert(t.fault);
        }
        QCOMPARE(faulty, 8);
        QCOMPARE(int(seen.size()), 8);
    }
    void kindsAreListed()
    {
        QCOMPARE(call({"kinds"}), 0);
        QVERIFY(m_out.str().find("edge_pair") != std::string::npos);
        QCOMPARE(call({"kinds", "--json"}), 0);
        QCOMPARE(nlohmann::json::parse(m_out.str()).size(), recipe::allStepKinds().size());
        QCOMPARE(call({"kinds", "--schema"}), 0);
        QVERIFY(nlohmann::json::parse(m_out.str()).contains("$defs"));
    }
    void theStepReferenceIsCurrent()
    {
        QCOMPARE(QString::fromStdString(*base::readFile(SOURCE_DIR "/docs/steps.md")), QString::fromStdString(cli::kindsPage()));
    }
};
QTEST_MAIN(CliTest)
#include "cli_test.moc"
