#include "base/files.h"
#include "cli/commands.h"
#include "cli/json_results.h"
#include "recipe/history.h"
#include "support.h"

#include <QSqlDatabase>
#include <QSqlQuery>
#include <filesystem>
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
    void revisionsAreListedAndCompared()
    {
        auto r = recipe::load(m_recipe);
        QVERIFY(r.has_value());
        QVERIFY(recipe::keepRevision(*r, "E. Sand", "", "2026-03-02T08:00:00.000Z"));
        for (recipe::Step& step : r->steps)
            if (step.id == "width") step.checks[0].limits = *recipe::parseLimits(">= 30", base::Unit::Millimetre);
        ++r->revision;
        QVERIFY(recipe::keepRevision(*r, "M. Ott", "wider", "2026-03-03T08:00:00.000Z"));
        const std::string kept = at("kept.dikkat");
        QVERIFY(recipe::save(*r, kept).has_value());
        QCOMPARE(call({"history", kept, "--json", "-"}), 0);
        const auto h = nlohmann::json::parse(m_out.str());
        QCOMPARE(h["revisions"].size(), std::size_t(2));
        QCOMPARE(h["revisions"][1]["by"].get<std::string>(), std::string("M. Ott"));
        QCOMPARE(h["revisions"][1]["changes"].size(), std::size_t(1));
        QVERIFY(m_err.str().find("revision 2  2026-03-03T08:00:00.000Z  M. Ott  \"wider\"") != std::string::npos);
        // Against what it was: every accepted picture is rejected now; against itself nothing.
        QCOMPARE(call({"compare", kept + "@1", kept, "--json", "-"}), 1);
        const auto c = nlohmann::json::parse(m_out.str());
        QCOMPARE(c["differences"].size(), std::size_t(1));
        QCOMPARE(c["pictures"].get<int>(), 6);
        int accepted = 0;
        for (int i = 1; i <= 6; ++i)
            accepted += call({"inspect", m_recipe, at(("plate-00" + std::to_string(i) + ".png").c_str())}) == 0;
        QVERIFY(accepted > 2);
        QCOMPARE(c["changed"].get<int>(), accepted);
        QCOMPARE(call({"compare", kept + "@2", kept}), 0);
        QVERIFY(m_out.str().find("nothing differs\n0 of 6 pictures change their verdict") != std::string::npos);
        QCOMPARE(call({"compare", kept + "@1", kept, at("plate-001.png")}), 1);
        // What is not there is named with what is.
        QCOMPARE(call({"compare", kept + "@7", kept}), 2);
        QVERIFY(m_err.str().find("there is no revision 7; there are 1, 2") != std::string::npos);
        QCOMPARE(call({"compare", kept + "@1", kept, at("none.png")}), 2);
        QCOMPARE(call({"compare", kept}), 2);
        QCOMPARE(call({"history", at("plate-001.png")}), 2);
        QCOMPARE(call({"history", kept, "--json", kept}), 2); // never over what is read
        QCOMPARE(call({"inspect", kept, at("plate-001.png"), "--variant", "left"}), 2);
        QVERIFY(m_err.str().find("there is no variant \"left\"") != std::string::npos);
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
            for (const char* key : {"doubt", "about", "text", "remedy"})
                QVERIFY2(f[key].is_string() && !f[key].get<std::string>().empty(), key);
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
        QVERIFY2(m_out.str().find("limit in another unit: Width: the limit is in px, the value in mm") == 0,
                 m_out.str().c_str());
    }
    void jsonHasThePromisedKeys()
    {
        QCOMPARE(call({"inspect", m_recipe, at("plate-001.png"), at("plate-003.png"), at("truth.json"), "--json", "-",
                       "--jobs", "1"}),
                 2);
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
            for (const char* key : {"step", "name", "unit", "nominal", "low", "high", "verdict", "reason"})
                QVERIFY2(c.contains(key), key);
            QVERIFY(c.contains("value") != c.contains("values"));
            if (c["name"] == "Width")
                width = std::abs(c["value"].get<double>() - 26) < 0.06 && c["nominal"] == 26.0 &&
                        std::abs(c["low"].get<double>() - 25.95) < 1e-9 && c["unit"] == "mm";
        }
        QVERIFY(width);
        QVERIFY(j["pictures"][2]["error"].is_string() && j["pictures"][2]["items"].empty());
    }
    void everythingIsWrittenWhereAsked()
    {
        QCOMPARE(call({"inspect", m_recipe, at("plate-001.png"), at("plate-003.png"), "--json", at("r.json"), "--csv",
                       at("r.csv"), "--log", at("r.sqlite"), "--annotate", at("annotated")}),
                 1);
        QVERIFY(QFile::exists(m_dir.filePath("r.json")) && QFile::exists(m_dir.filePath("r.sqlite")));
        QCOMPARE(int(QString::fromStdString(*base::readFile(at("r.csv"))).count('\n')), 3);
        const auto drawn = image::loadCapture(at("annotated/plate-003-annotated.png"));
        QVERIFY(drawn && drawn->width() == support::smallField().width);
        QCOMPARE(call({"inspect", m_recipe, at("plate-001.png"), "--csv", at("r.csv")}), 0); // grows
        QCOMPARE(int(QString::fromStdString(*base::readFile(at("r.csv"))).count('\n')), 4);
    }
    // What is read in a run is never written in it, and what is written has arrived.
    void inputsAreNeverWrittenOver()
    {
        const std::string before = *base::readFile(at("plate-001.png")), recipe = *base::readFile(m_recipe);
        for (const std::vector<std::string>& outputs : {std::vector<std::string>{"--json", at("plate-001.png")},
                                                        {"--csv", at("plate-001.png")},
                                                        {"--log", at("plate-001.png")},
                                                        {"--json", m_recipe},
                                                        {"--csv", m_recipe},
                                                        {"--json", at("plate-005.png")} /* a trial */}) {
            std::vector<std::string> line{"inspect", m_recipe, at("plate-001.png")};
            line.insert(line.end(), outputs.begin(), outputs.end());
            QCOMPARE(call(line), 2);
            QVERIFY2(m_err.str().find("never written over") != std::string::npos &&
                         m_err.str().find(outputs[0]) != std::string::npos,
                     m_err.str().c_str());
        }
        // By another way to the same file, too.
        QVERIFY(QFile::link(m_dir.filePath("plate-001.png"), m_dir.filePath("other-name.png")));
        QCOMPARE(call({"inspect", m_recipe, at("plate-001.png"), "--json", at("other-name.png")}), 2);
        QVERIFY(m_err.str().find("never written over") != std::string::npos);
        // Annotated pictures have a name of their own: into the pictures' folder, twice.
        for (int i = 0; i < 2; ++i)
            QCOMPARE(call({"inspect", m_recipe, at("plate-001.png"), "--annotate", m_dir.path().toStdString()}), 0);
        QVERIFY(QFile::exists(m_dir.filePath("plate-001-annotated.png")));
        QVERIFY(QFile::copy(m_dir.filePath("plate-001-annotated.png"), m_dir.filePath("kept.png")));
        QCOMPARE(call({"inspect", m_recipe, at("plate-001.png"), at("plate-001-annotated.png"), "--annotate",
                       m_dir.path().toStdString()}),
                 2);
        QVERIFY(QFile::remove(m_dir.filePath("plate-001-annotated.png")));
        QCOMPARE(*base::readFile(at("plate-001.png")), before);
        QCOMPARE(*base::readFile(m_recipe), recipe);
    }
    void anOutputThatDoesNotArriveIsAFailure()
    {
        struct Full : std::streambuf {
            int_type overflow(int_type) override { return traits_type::eof(); }
        } nowhere;
        std::ostream closed(&nowhere);
        std::ostringstream err;
        QCOMPARE(cli::run({"kinds"}, closed, err), 2);
        QVERIFY(err.str().find("standard output cannot be written") != std::string::npos);
        QCOMPARE(call({"inspect", m_recipe, at("plate-001.png"), "--json", "/dev/full"}), 2);
        QVERIFY2(m_err.str().find("/dev/full: cannot write: No space left") != std::string::npos, m_err.str().c_str());
        QCOMPARE(call({"inspect", m_recipe, at("plate-001.png"), "--json", "/dev/null"}), 0);
        for (const char* option : {"--json", "--csv", "--log", "--annotate"}) {
            QCOMPARE(call({"inspect", m_recipe, at("plate-001.png"), option, ""}), 2);
            QVERIFY(m_err.str().find(std::string(option) + " needs a value") != std::string::npos);
        }
        QCOMPARE(call({"inspect", m_recipe, at("plate-001.png"), "--log", m_dir.path().toStdString() + "/\xff.sqlite"}),
                 2);
        QVERIFY(m_err.str().find("no UTF-8 text") != std::string::npos);
        QCOMPARE(call({"inspect", m_recipe, at("plate-001.png"), "--json", at("a.json"), "--json", at("b.json")}), 2);
        QVERIFY(m_err.str().find("given twice") != std::string::npos);
    }
    void aForeignDatabaseStaysAsItIs()
    {
        const QString path = m_dir.filePath("foreign.sqlite");
        {
            QSqlDatabase db = QSqlDatabase::addDatabase("QSQLITE", "foreign");
            db.setDatabaseName(path);
            QVERIFY(db.open());
            QSqlQuery q(db);
            QVERIFY(q.exec("create table mine (a)") && q.exec("insert into mine values (7)") &&
                    q.exec("pragma user_version = 1"));
        }
        QSqlDatabase::removeDatabase("foreign");
        const std::string before = *base::readFile(path.toStdString());
        QCOMPARE(call({"inspect", m_recipe, at("plate-001.png"), "--log", path.toStdString()}), 2);
        QVERIFY(m_err.str().find("not a record log") != std::string::npos);
        QVERIFY(*base::readFile(path.toStdString()) == before); // not even its journal was changed
        QVERIFY(!QFile::exists(path + "-wal"));
        QCOMPARE(call({"inspect", m_recipe, at("plate-001.png"), "--log", "/proc/none/x.sqlite"}), 2);
        QVERIFY2(m_err.str().find("cannot be used: ") != std::string::npos &&
                     !m_err.str().ends_with("cannot be used: \n"),
                 m_err.str().c_str());
    }
    void unpackingOverwritesNothingUnasked()
    {
        QVERIFY(QDir(m_dir.path()).mkdir("taken"));
        QVERIFY(base::realFiles().write(at("taken/recipe.json"), "mine"));
        QCOMPARE(call({"unpack", m_recipe, at("taken")}), 2);
        QVERIFY(m_err.str().find("recipe.json: is there already") != std::string::npos);
        QCOMPARE(*base::readFile(at("taken/recipe.json")), std::string("mine"));
        QCOMPARE(call({"unpack", m_recipe, at("taken"), "--overwrite"}), 0);
        QVERIFY(call({"check", at("taken")}) == 0);
        // A reference that is called like the recipe itself is kept under another name.
        auto j = nlohmann::json::parse(*base::readFile(at("taken/recipe.json")));
        const std::string name = j["assets"]["reference"]["file"].get<std::string>(),
                          bytes = *base::readFile(at("taken/") + name);
        QVERIFY(QDir(m_dir.filePath("taken")).mkdir("deep"));
        QVERIFY(base::realFiles().write(at("taken/deep/recipe.json"), bytes));
        j["assets"]["reference"]["file"] = "deep/recipe.json";
        QVERIFY(base::realFiles().write(at("taken/recipe.json"), j.dump()));
        QCOMPARE(call({"pack", at("taken"), at("named.dikkat")}), 0);
        QCOMPARE(call({"unpack", at("named.dikkat"), at("named")}), 0);
        QVERIFY(recipe::load(at("named")) && *base::readFile(at("named/reference-recipe.json")) == bytes);
    }
    void namesThatAreNoTextDoNoHarm()
    {
        const std::string folder = m_dir.path().toStdString() + "/\xff\xfe";
        std::filesystem::create_directories(folder);
        QCOMPARE(call({"unpack", m_recipe, folder}), 0);
        QVERIFY(base::realFiles().write(folder + "/plate.png", *base::readFile(at("plate-001.png"))));
        QCOMPARE(call({"inspect", folder, folder + "/plate.png", "--json", "-"}), 0);
        QVERIFY(nlohmann::json::accept(m_out.str()));
        const int code = call({"pack", folder, at("odd.dikkat")});
        QVERIFY(code == 0 || (code == 2 && m_err.str().find("UTF-8") != std::string::npos));
        QCOMPARE(call({"review", folder}) <= 2, true);
        std::filesystem::remove_all(folder);
    }
    void unjudgedIsSaid()
    {
        auto j = nlohmann::json::parse("{\"format\":\"dikkat-recipe\",\"version\":1,\"name\":\"bare\",\"steps\":[]}");
        QVERIFY(base::realFiles().write(at("bare.json"), j.dump()));
        QCOMPARE(call({"inspect", at("bare.json"), at("plate-001.png"), "--json", "-", "--csv", at("bare.csv"), "--log",
                       at("bare.sqlite")}),
                 0);
        QCOMPARE(nlohmann::json::parse(m_out.str())["pictures"][0]["items"][0]["verdict"].get<std::string>(),
                 std::string("unjudged"));
        QVERIFY(m_err.str().find("1 item was not judged") != std::string::npos);
        QVERIFY(base::readFile(at("bare.csv"))->find(",unjudged,") != std::string::npos);
    }
    void badUsageIsNamed()
    {
        for (const auto& [arguments, says] :
             {std::pair<std::vector<std::string>, std::string>{{}, "a command is missing"},
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
        QVERIFY(QFile::exists(m_dir.filePath("open/recipe.json")) &&
                QFile::exists(m_dir.filePath("open/reference.png")));
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
        QCOMPARE(QString::fromStdString(*base::readFile(SOURCE_DIR "/docs/steps.md")),
                 QString::fromStdString(cli::kindsPage()));
    }
    // What file-formats.md shows is a recipe that reads, has nothing wrong with it, and accepts a good plate of the
    // demo.
    void theSamplesOfTheFileFormatsWork()
    {
        const std::string page = *base::readFile(SOURCE_DIR "/docs/file-formats.md");
        std::vector<nlohmann::json> samples;
        for (std::size_t at = 0; (at = page.find("```json\n", at)) != std::string::npos;) {
            const std::size_t end = page.find("```", at + 8);
            samples.push_back(nlohmann::json::parse(page.substr(at + 8, end - at - 8)));
            at = end + 3;
        }
        QCOMPARE(samples.size(), std::size_t(2));
        QTemporaryDir dir;
        const std::string folder = dir.path().toStdString();
        QCOMPARE(call({"demo", folder, "--count", "1"}), 0);
        for (const auto& step : samples[1]) samples[0]["steps"].push_back(step);
        QVERIFY(base::realFiles().write(folder + "/page.json", samples[0].dump()));
        QCOMPARE(call({"check", folder + "/page.json"}), 0);
        QCOMPARE(call({"inspect", folder + "/page.json", folder + "/plate-001.png", "--json", folder + "/out.json"}),
                 0);
        const auto item = nlohmann::json::parse(*base::readFile(folder + "/out.json"))["pictures"][0]["items"][0];
        QVERIFY(item["verdict"] == "accept");
        QVERIFY(item["checks"].size() >= 6);
    }
};
QTEST_MAIN(CliTest)
#include "cli_test.moc"
