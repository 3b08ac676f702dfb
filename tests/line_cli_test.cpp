// The line without a window, and logged items computed again.
#include "base/text.h"
#include "cli/commands.h"
#include "recipe/recipe_file.h"
#include "records/record_log.h"
#include "support.h"

#include <QImage>
#include <QProcess>
#include <QSqlDatabase>
#include <QSqlQuery>
#include <csignal>
#include <iostream>
#include <nlohmann/json.hpp>
#include <sstream>
#include <unistd.h>

class LineCliTest : public QObject
{
    Q_OBJECT
    QTemporaryDir m_dir;
    std::string m_recipe;
    std::ostringstream m_out, m_err;
    int call(const std::vector<std::string>& arguments)
    {
        m_out.str({});
        m_err.str({});
        return cli::run(arguments, m_out, m_err);
    }
    std::string at(const std::string& leaf) { return m_dir.filePath(QString::fromStdString(leaf)).toStdString(); }
    int lines(const std::string& text) { return int(std::count(text.begin(), text.end(), '\n')); }
    std::vector<std::string> plates(int count)
    {
        std::vector<std::string> out;
        for (int i = 1; i <= count; ++i) out.push_back(at("plate-00" + std::to_string(i) + ".png"));
        return out;
    }

private slots:
    void initTestCase()
    {
        m_recipe = support::writeDemo(m_dir, 6);
        std::string list;
        for (const std::string& p : plates(6)) list += p + "\n";
        QVERIFY(base::realFiles().write(at("list.txt"), list));
    }
    // What the log holds comes out as it stands there: as text, table and JSON, filtered by words.
    void recordsAreListed()
    {
        const std::string log = at("listed.sqlite");
        QCOMPARE(call({"run", m_recipe, "--source", "list:" + at("list.txt"), "--log", log, "--batch", "lot 3", "--by",
                       "Ana"}),
                 1);
        QCOMPARE(call({"run", m_recipe, "--source", "list:" + at("list.txt"), "--log", log, "--batch", "=4", "--items",
                       "2"}),
                 0);
        QVERIFY((*records::RecordLog::open(QString::fromStdString(log)))->overrule(3, "accept", "Eva", "dirt"));
        QCOMPARE(call({"records", log}), 0);
        QCOMPARE(lines(m_out.str()), 9);
        QVERIFY(m_out.str().find("overruled: accept by Eva: dirt") != std::string::npos);
        QVERIFY(m_out.str().find("8 records, 2 rejected") != std::string::npos);
        QCOMPARE(call({"records", log, "--json", "-"}), 0);
        const auto all = nlohmann::json::parse(m_out.str());
        QCOMPARE(all.size(), std::size_t(8));
        QVERIFY(all[0]["record"] == 1 && all[2]["overruled"]["by"] == "Eva" && all[2]["verdict"] == "reject");
        // The same numbers as the log's own reader and as the table.
        QCOMPARE(call({"records", log, "--csv", "-"}), 0);
        const std::string table = m_out.str();
        const auto reader = records::RecordLog::open(QString::fromStdString(log));
        int rows = 1;
        for (const auto& record : all) {
            const auto values = (*reader)->values(record["record"].get<long long>()).value();
            rows += int(values.size());
            QCOMPARE(record["values"].size(), values.size());
            for (std::size_t i = 0; i < values.size(); ++i) {
                const auto& v = record["values"][i];
                QCOMPARE(QString::fromStdString(v["name"]), values[i].name);
                if (values[i].list) QVERIFY(v["values"].get<std::vector<double>>() == values[i].values);
                else if (!values[i].values.empty()) {
                    QCOMPARE(v["value"].get<double>(), values[i].values.front());
                    QVERIFY(table.find(base::shortest(values[i].values.front())) != std::string::npos);
                } else QVERIFY(v["value"].is_null());
            }
        }
        QCOMPARE(lines(table), rows);
        QVERIFY(table.find(",'=4,") != std::string::npos); // never a formula
        const auto count = [&](const std::string& where) {
            if (call({"records", log, "--where", where, "--json", "-"}) != 0) return -1;
            return int(nlohmann::json::parse(m_out.str()).size());
        };
        QCOMPARE(count("verdict=reject"), 2);
        QCOMPARE(count("batch=lot 3"), 6);
        QCOMPARE(count("batch=lot 3,verdict=accept"), 4);
        QCOMPARE(count("batch="), 0);
        QCOMPARE(count("from=3,to=5"), 3);
        QCOMPARE(count("since=2001-01-01"), 8);
        QCOMPARE(count("since=2001-01-01,until=2001-01-02"), 0);
        QCOMPARE(count("text=plate-003"), 1);
        QCOMPARE(count("recipe=nobody's"), 0);
        for (const char* wrong : {"verdict=good", "since=soon", "colour=red", "from=0", "from=x", "batch"})
            QVERIFY2(call({"records", log, "--where", wrong}) == 2 && m_err.str().find("--where") != std::string::npos,
                     wrong);
        QCOMPARE(call({"records", at("none.sqlite")}), 2);
        QVERIFY(!QFile::exists(m_dir.filePath("none.sqlite")));
        QCOMPARE(call({"records", at("list.txt")}), 2); // no log
        // One check over the log, against its own numbers.
        QCOMPARE(call({"statistics", log, "--check", "Width", "--json", "-"}), 0);
        const auto width = nlohmann::json::parse(m_out.str());
        double sum = 0, most = -1e300;
        int n = 0;
        for (const auto& record : all)
            for (const auto& v : record["values"])
                if (v["name"] == "Width" && !v["value"].is_null())
                    sum += v["value"].get<double>(), most = std::max(most, v["value"].get<double>()), ++n;
        QVERIFY(n > 4 && width["values"] == n && std::abs(width["mean"].get<double>() - sum / n) < 1e-12 &&
                width["most"] == most);
        QVERIFY(width["unit"] == "mm" && std::abs(width["high"].get<double>() - 26.05) < 1e-9 &&
                !width["ppk"].is_null());
        QCOMPARE(call({"statistics", log, "--check", "Nothing"}), 2);
        QVERIFY(m_err.str().find("Width") != std::string::npos);
        QCOMPARE(call({"statistics", log}), 2);
        QCOMPARE(call({"statistics", log, "--check", "Width"}), 0);
        QVERIFY(m_out.str().find("Ppk") != std::string::npos);
        QCOMPARE(call({"statistics", log, "--check", "Width", "--chart", "mean-range", "--group", "2", "--json", "-"}),
                 0);
        const auto grouped = nlohmann::json::parse(m_out.str());
        QVERIFY(grouped["chart"]["points"] == n / 2 && grouped["chart"]["group"] == 2 &&
                grouped["chart"]["rule_hits"].is_array() && grouped["by_quantiles"].is_null());
        QCOMPARE(call({"statistics", log, "--check", "Width", "--chart", "round"}), 2);
        QCOMPARE(call({"statistics", log, "--check", "Width", "--group", "1"}), 2);
        QCOMPARE(call({"records", log, "--events", "--json", "-"}), 0);
        const auto events = nlohmann::json::parse(m_out.str());
        QVERIFY(events.size() == 5 && events[0]["what"] == "start" && events[0]["by"] == "Ana" &&
                events[4]["what"] == "overrule");
    }
    // The same answers as `inspect`, item by item in log, table and text.
    void theLineSaysWhatInspectSays()
    {
        QCOMPARE(call({"run", m_recipe, "--source", "list:" + at("list.txt"), "--log", at("run.sqlite"), "--csv",
                       at("run.csv"), "--keep", "all", "--batch", "lot 3", "--station", "left", "--by", "A. Person"}),
                 1);
        const std::string text = m_out.str();
        QVERIFY2(m_err.str().find("6 pictures, 6 items, 2 rejected") != std::string::npos, m_err.str().c_str());
        std::vector<std::string> words{"inspect", m_recipe};
        for (const std::string& p : plates(6)) words.push_back(p);
        QCOMPARE(call(words), 1);
        QCOMPARE(m_out.str(), text);
        const auto log = records::RecordLog::open(m_dir.filePath("run.sqlite"));
        const auto rows = *(*log)->items({});
        QVERIFY(rows.size() == 6 && rows[0].batch == "lot 3" && rows[0].station == "left" && rows[0].by == "A. Person");
        for (const auto& row : rows)
            QVERIFY(*base::readFile(row.kept.toStdString()) == *base::readFile(row.picture.toStdString()));
        QCOMPARE(lines(*base::readFile(at("run.csv"))), 7);
        // Everything is computed again from the log alone: the pictures may go, the log and its pictures may move.
        QVERIFY(QDir().mkpath(m_dir.filePath("moved")));
        QVERIFY(QFile::copy(m_dir.filePath("run.sqlite"), m_dir.filePath("moved/run.sqlite")));
        QVERIFY(QFile::rename(m_dir.filePath("pictures"), m_dir.filePath("moved/pictures")));
        QVERIFY(QFile::rename(m_dir.filePath("plate-001.png"), m_dir.filePath("away.png")));
        QVERIFY(QFile::rename(QString::fromStdString(m_recipe), m_dir.filePath("away.dikkat")));
        std::vector<std::string> replay{"replay", at("moved/run.sqlite")};
        for (int i = 1; i <= 6; ++i) replay.push_back(std::to_string(i));
        QCOMPARE(call(replay), 0);
        QCOMPARE(lines(m_out.str()), 6);
        QVERIFY(m_out.str().find("item 3: reject, the same again") != std::string::npos);
        QVERIFY(QFile::rename(m_dir.filePath("away.png"), m_dir.filePath("plate-001.png")));
        QVERIFY(QFile::rename(m_dir.filePath("away.dikkat"), QString::fromStdString(m_recipe)));
        // All that words choose; with another recipe old and new stand side by side, changed verdicts first.
        QCOMPARE(call({"replay", at("moved/run.sqlite"), "--where", "verdict=reject", "--json", "-"}), 0);
        QCOMPARE(nlohmann::json::parse(m_out.str()).size(), std::size_t(2));
        auto strict = *recipe::load(m_recipe);
        for (auto& s : strict.steps)
            for (auto& c : s.checks)
                if (c.name == "Width") c.limits.nominal = 2;
        QVERIFY(recipe::save(strict, at("strict.dikkat")));
        QVERIFY2(call({"replay", at("moved/run.sqlite"), "--recipe", at("strict.dikkat"), "--json", "-"}) == 1,
                 m_err.str().c_str());
        const auto all = nlohmann::json::parse(m_out.str());
        QCOMPARE(all.size(), std::size_t(6));
        std::size_t changed = 0;
        for (std::size_t i = 0; i < all.size(); ++i) {
            changed += all[i]["verdict_changed"] == true;
            QVERIFY(i == 0 || all[i - 1]["verdict_changed"] == true || all[i]["verdict_changed"] == false);
            for (const auto& c : all[i]["checks"])
                QVERIFY(c["check"] == "Width" || (c["logged"] == c["now"] && c["verdict_logged"] == c["verdict_now"]));
        }
        QVERIFY(changed == 4 && all[0]["logged"] == "accept" && all[0]["now"] == "reject");
        QVERIFY(m_err.str().find("6 items: ") != std::string::npos);
        // A page for an item and for a batch.
        const std::string moved = at("moved/run.sqlite");
        QCOMPARE(call({"report", moved, "--item", "3", "--pdf", at("item.pdf"), "--png", at("item.png")}), 0);
        QCOMPARE(call({"report", moved, "--batch", "lot 3", "--pdf", at("batch.pdf"), "--paper", "letter"}), 0);
        QCOMPARE(call({"report", moved, "--where", "verdict=reject", "--pdf", at("rejects.pdf")}), 0);
        for (const char* file : {"item.pdf", "batch.pdf", "rejects.pdf"})
            QVERIFY2(base::readFile(at(file))->starts_with("%PDF-1."), file);
        QVERIFY(!QImage(m_dir.filePath("item.png")).isNull());
        for (const std::vector<std::string>& wrong :
             std::vector<std::vector<std::string>>{{"--item", "99", "--pdf", at("x.pdf")},
                                                   {"--item", "0", "--pdf", at("x.pdf")},
                                                   {"--batch", "none", "--pdf", at("x.pdf")},
                                                   {"--batch", "lot 3", "--pdf", "/proc/none/x.pdf"},
                                                   {"--batch", "lot 3", "--pdf", moved},
                                                   {"--batch", "lot 3", "--pdf", at("x.pdf"), "--paper", "a3"},
                                                   {"--batch", "lot 3", "--item", "1", "--pdf", at("x.pdf")},
                                                   {"--item", "1"},
                                                   {"--where", "picture=a", "--pdf", at("x.pdf")}}) {
            std::vector<std::string> asked{"report", moved};
            asked.insert(asked.end(), wrong.begin(), wrong.end());
            QCOMPARE(call(asked), 2);
            QVERIFY(!m_err.str().empty() && !QFile::exists(m_dir.filePath("x.pdf")));
        }
        QCOMPARE(call({"records", moved, "--csv", at("rows.csv"), "--rows", "items"}), 0);
        QCOMPARE(lines(*base::readFile(at("rows.csv"))), 7);
        QCOMPARE(call({"replay", at("moved/run.sqlite")}), 2);
        QCOMPARE(call({"replay", at("moved/run.sqlite"), "1", "--where", "from=1"}), 2);
        QCOMPARE(call({"replay", at("moved/run.sqlite"), "--recipe", at("none.dikkat")}), 2);
    }
    void reportsAreMadeByThemselves()
    {
        const std::string folder = at("made");
        const int code =
            call({"run", m_recipe, "--source", "list:" + at("list.txt"), "--log", at("made.sqlite"), "--keep", "all",
                  "--batch", "lot/4", "--report", "item.pdf,item.png,item.json,rejects,batch.pdf,batch.csv," + folder,
                  "--report-name", "{verdict}/{batch} {item} {picture}"});
        QVERIFY2(code == 1, m_err.str().c_str());
        QVERIFY2(m_err.str().find("8 reports written\n") != std::string::npos, m_err.str().c_str());
        // Two rejects in three forms, the batch in two; a slash in a name is no folder.
        const QStringList rejects = QDir(m_dir.filePath("made/reject")).entryList(QDir::Files);
        QCOMPARE(rejects.size(), 6);
        QVERIFY(rejects.contains("lot_4 3 plate-003.pdf") && rejects.contains("lot_4 3 plate-003.json"));
        const auto j = nlohmann::json::parse(*base::readFile(folder + "/reject/lot_4 3 plate-003.json"));
        QVERIFY(j.size() == 1 && j[0]["record"] == 3 && j[0]["verdict"] == "reject");
        const QStringList batch = QDir(m_dir.filePath("made/lot_4")).entryList(QDir::Files);
        QVERIFY(batch.size() == 2 && batch[0].endsWith(".csv") && batch[1].endsWith(".pdf"));
        QCOMPARE(lines(*base::readFile(folder + "/lot_4/" + batch[0].toStdString())), 7);
        // Again: nothing is written over.
        QCOMPARE(call({"run", m_recipe, "--source", "list:" + at("list.txt"), "--log", at("made2.sqlite"), "--keep",
                       "all", "--batch", "lot/4", "--report", "item.json,rejects," + folder, "--report-name",
                       "{verdict}/{batch} {item} {picture}"}),
                 1);
        QVERIFY(QFile::exists(m_dir.filePath("made/reject/lot_4 3 plate-003-2.json")));
        for (const std::vector<std::string>& wrong :
             std::vector<std::vector<std::string>>{{"--report", folder},
                                                   {"--report", "item.pdf"},
                                                   {"--report", "item.pdf," + folder, "--report-name", "{colour}"},
                                                   {"--report", "item.pdf," + folder, "--report-name", "../{item}"},
                                                   {"--report", "item.pdf," + folder, "--report-name", "{item"}}) {
            std::vector<std::string> asked{"run",   m_recipe,          "--source", "list:" + at("list.txt"),
                                           "--log", at("made3.sqlite")};
            asked.insert(asked.end(), wrong.begin(), wrong.end());
            QVERIFY2(call(asked) == 2 && !m_err.str().empty(), wrong.back().c_str());
        }
        // A folder that cannot be made: the line goes on, and it is said.
        QCOMPARE(call({"run", m_recipe, "--source", "list:" + at("list.txt"), "--log", at("made4.sqlite"), "--report",
                       "item.pdf,/proc/none/reports"}),
                 1);
        QVERIFY2(m_err.str().find("not all: ") != std::string::npos && m_err.str().find("6 items") != std::string::npos,
                 m_err.str().c_str());
    }
    void whatDiffersIsSaidAndWhatIsGoneToo()
    {
        QCOMPARE(call({"inspect", m_recipe, at("plate-001.png"), at("plate-003.png"), "--log", at("re.sqlite")}), 1);
        {
            QSqlDatabase db = QSqlDatabase::addDatabase("QSQLITE", "spoil");
            db.setDatabaseName(m_dir.filePath("re.sqlite"));
            QVERIFY(db.open());
            QSqlQuery q(db);
            QVERIFY(q.exec("update value set value = '1.5' where item = 1 and name = 'Width'"));
        }
        QSqlDatabase::removeDatabase("spoil");
        QCOMPARE(call({"replay", at("re.sqlite"), "1", "--json", "-"}), 1);
        const auto j = nlohmann::json::parse(m_out.str());
        QVERIFY(j.size() == 1 && j[0]["same"] == false && j[0]["differences"].size() == 1);
        QVERIFY(j[0]["differences"][0]["what"] == "Width" && j[0]["differences"][0]["logged"] == "1.5");
        QCOMPARE(call({"replay", at("re.sqlite"), "2"}), 0); // the picture stands where it was, with the same bytes
        QVERIFY(QFile::rename(m_dir.filePath("plate-003.png"), m_dir.filePath("away.png")));
        QCOMPARE(call({"replay", at("re.sqlite"), "2"}), 2);
        QVERIFY(m_err.str().find("no pictures are kept") != std::string::npos);
        QVERIFY(QFile::copy(m_dir.filePath("plate-001.png"), m_dir.filePath("plate-003.png")));
        QCOMPARE(call({"replay", at("re.sqlite"), "2"}), 2);
        QVERIFY(m_err.str().find("another picture") != std::string::npos);
        QVERIFY(QFile::remove(m_dir.filePath("plate-003.png")) &&
                QFile::rename(m_dir.filePath("away.png"), m_dir.filePath("plate-003.png")));
        for (const char* word : {"99", "0", "x", "-1"}) QCOMPARE(call({"replay", at("re.sqlite"), word}), 2);
        QCOMPARE(call({"replay", at("none.sqlite"), "1"}), 2);
        QVERIFY(!QFile::exists(m_dir.filePath("none.sqlite"))); // looking makes no log
    }
    void wrongWordsAreRefused()
    {
        const std::string list = "list:" + at("list.txt");
        for (const std::vector<std::string>& words :
             std::vector<std::vector<std::string>>{{"--source", "camera"},
                                                   {"--source", "folder:/no/such/folder"},
                                                   {"--source", "demo:none"},
                                                   {},
                                                   {"--source", list, "--keep", "some"},
                                                   {"--source", list, "--keep", "all"},
                                                   {"--source", list, "--items", "0"},
                                                   {"--source", list, "--items", "3", "--seconds", "2"},
                                                   {"--source", list, "--csv", at("plate-002.png")},
                                                   {"--source", list, "--log", "/proc/none/x"}}) {
            std::vector<std::string> line{"run", m_recipe};
            line.insert(line.end(), words.begin(), words.end());
            QCOMPARE(call(line), 2);
            QVERIFY(m_err.str().find("dikkat-cli: ") == 0);
        }
    }
    void itemsAndMemorySourcesAreBounded()
    {
        QCOMPARE(call({"run", m_recipe, "--source", "list:" + at("list.txt"), "--items", "2"}), 0);
        QCOMPARE(lines(m_out.str()), 2);
    }
    // Two pictures a part: any file of a capture stands for it, on the command line, in a folder and in a list.
    void capturesOfSeveralPicturesAreOneItemEach()
    {
        const std::string folder = at("lights");
        QVERIFY(QDir().mkpath(QString::fromStdString(folder + "/recipe")));
        for (int i = 1; i <= 3; ++i) {
            const std::string bytes = *base::readFile(at("plate-00" + std::to_string(i) + ".png"));
            QVERIFY(base::realFiles().write(folder + "/p" + std::to_string(i) + "-white.png", bytes));
            // The other light shows another part, so that it shows which picture a step looked at.
            const std::string other = *base::readFile(at("plate-00" + std::to_string(i % 3 + 1) + ".png"));
            QVERIFY(base::realFiles().write(folder + "/p" + std::to_string(i) + "-dome.png", other));
        }
        QCOMPARE(call({"unpack", m_recipe, folder + "/recipe"}), 0);
        auto j = nlohmann::json::parse(*base::readFile(folder + "/recipe/recipe.json"));
        const std::string name = j["assets"]["reference"]["file"].get<std::string>();
        j["pictures"] = {{{"key", "white"}, {"file", "{id}-white.png"}}, {{"key", "dome"}, {"file", "{id}-dome.png"}}};
        j["assets"]["reference"] = {{"files", {{"white", name}, {"dome", name}}}};
        j["trials"] = nlohmann::json::array();
        // Somebody looks at the second one, or it would not be read.
        j["steps"].push_back(
            {{"id", "lit"},
             {"kind", "area_share"},
             {"name", "Lit"},
             {"regions", {{"region", {{"shape", "rectangle"}, {"centre", {200, 200}}, {"size", {300, 300}}}}}},
             {"pictures", {{"picture", "dome"}}},
             {"checks", nlohmann::json::array()}});
        QVERIFY(base::realFiles().write(folder + "/recipe/recipe.json", j.dump()));
        const std::string recipe = at("lights.dikkat"), dome = folder + "/p3-dome.png";
        QCOMPARE(call({"pack", folder + "/recipe", recipe}), 0);
        QCOMPARE(call({"check", recipe}), 0);
        QCOMPARE(call({"inspect", recipe, dome, folder + "/p1-white.png", folder + "/p3-white.png"}), 1);
        const std::string said = m_out.str();
        QVERIFY2(lines(said) == 2 && said.find("p3-white.png: ") < said.find("p1-white.png: "), said.c_str());
        // As from the white pictures alone.
        QCOMPARE(call({"inspect", m_recipe, folder + "/p3-white.png", folder + "/p1-white.png"}), 1);
        QCOMPARE(m_out.str(), said);
        // The whole folder holds three captures.
        const std::string log = at("lights.sqlite");
        QCOMPARE(call({"run", recipe, "--source", "folder:" + folder, "--log", log, "--keep", "all"}), 1);
        QCOMPARE(lines(m_out.str()), 3);
        QVERIFY(base::realFiles().write(at("lights.txt"), dome + "\n" + folder + "/p3-white.png\n"));
        QCOMPARE(call({"run", recipe, "--source", "list:" + at("lights.txt")}), 1);
        QCOMPARE(lines(m_out.str()), 1);
        // Logged with both pictures, and computed again from them when the originals are gone.
        const auto opened = records::RecordLog::open(QString::fromStdString(log));
        const auto items = (*opened)->items({});
        QCOMPARE(items->size(), std::size_t(3));
        for (const auto& row : *items) {
            const auto pictures = (*opened)->pictures(row.id);
            QVERIFY(pictures->size() == 2 && (*pictures)[1].key == "dome");
            QVERIFY(base::sha256(*base::readFile((*pictures)[1].kept.toStdString())) ==
                    (*pictures)[1].hash.toStdString());
        }
        QVERIFY(QFile::rename(QString::fromStdString(folder), QString::fromStdString(folder + "-gone")));
        QCOMPARE(call({"replay", log, "1", "2", "3"}), 0);
        // A step that looks at the other light sees the other part.
        j["steps"][0]["pictures"]["picture"] = "dome";
        for (auto& s : j["steps"])
            if (s["kind"] != "distance" && s["kind"] != "formula") s["pictures"]["picture"] = "dome";
        const std::string gone = folder + "-gone";
        QVERIFY(base::realFiles().write(gone + "/recipe/recipe.json", j.dump()));
        QCOMPARE(call({"inspect", gone + "/recipe", gone + "/p2-white.png"}), 1);
        QVERIFY2(m_out.str().find("p2-white.png: reject") != std::string::npos, m_out.str().c_str()); // plate 3 is bad
        QCOMPARE(call({"inspect", m_recipe, gone + "/p2-white.png"}), 0);
        // What is missing, and what belongs to no capture, is said by name.
        QVERIFY(QFile::remove(QString::fromStdString(gone + "/p2-dome.png")));
        QCOMPARE(call({"inspect", recipe, gone + "/p2-white.png"}), 2);
        QVERIFY(m_err.str().find("p2-dome.png") != std::string::npos);
        QCOMPARE(call({"inspect", recipe, at("plate-001.png")}), 2);
        QVERIFY(m_err.str().find("{id}-white.png, {id}-dome.png") != std::string::npos);
    }
    // A file system of 3 MB, made for this test where that is allowed: what is not said to be unsaved is there.
    void aFullDiskLosesNothingAcknowledged()
    {
        QTemporaryDir pictures, after;
        for (int i = 0; i < 40; ++i) { // each another content, so that each is kept
            std::string bytes = *base::readFile(at("plate-00" + std::to_string(i % 6 + 1) + ".png"));
            bytes += "part " + std::to_string(i);
            QVERIFY(base::realFiles().write(
                pictures.filePath(QString("%1.png").arg(i, 3, 10, QLatin1Char('0'))).toStdString(), bytes));
        }
        QTemporaryDir small;
        const QString script =
            "mount -t tmpfs -o size=3m none \"$1\" || exit 77; \"$2\" --call run \"$3\" --source \"folder:$4\" --log "
            "\"$1/log.sqlite\" --csv \"$1/t.csv\" --keep all; code=$?; cp -r \"$1/.\" \"$5\"; exit $code";
        QProcess child;
        child.start("unshare", {"-rm", "sh", "-c", script, "sh", small.path(), QCoreApplication::applicationFilePath(),
                                QString::fromStdString(m_recipe), pictures.path(), after.path()});
        if (!child.waitForStarted() || !child.waitForFinished(120000) || child.exitCode() == 77 ||
            child.exitCode() == 1)
            QSKIP("no file system of its own can be made here");
        const QByteArray said = child.readAllStandardOutput(), why = child.readAllStandardError();
        QCOMPARE(child.exitCode(), 2);
        QVERIFY2(why.contains("No space left") || why.contains("full"), why.constData());
        const auto log = records::RecordLog::open(after.filePath("log.sqlite"));
        QVERIFY2(log.has_value(), log ? "" : log.error().text().c_str());
        std::map<QString, records::ItemRow> rows;
        const auto items = (*log)->items({});
        for (const auto& row : *items) QVERIFY(rows.emplace(row.picture, row).second);
        int saved = 0, unsaved = 0;
        for (const QByteArray& line : said.split('\n')) {
            if (line.isEmpty()) continue;
            if (line.endsWith("NOT saved")) {
                ++unsaved;
                continue;
            }
            ++saved;
            const auto row = rows.find(QString::fromUtf8(line.left(line.indexOf(".png") + 4)));
            QVERIFY2(row != rows.end() && !(*log)->values(row->second.id)->empty(), line.constData());
        }
        QCOMPARE(saved + unsaved, 40);
        QVERIFY2(saved > 0 && unsaved > 0, said.constData());
        // Kept pictures are whole or said not to be there; the table holds whole rows only.
        for (const auto& [picture, row] : rows) {
            if (row.kept.isEmpty()) {
                QVERIFY(row.notKept.contains("No space left"));
                continue;
            }
            const QString kept = after.path() + row.kept.mid(small.path().size());
            QCOMPARE(QString::fromStdString(base::sha256(*base::readFile(kept.toStdString()))), row.pictureHash);
        }
        const std::string table = *base::readFile(after.filePath("t.csv").toStdString());
        QVERIFY(table.back() == '\n' && lines(table) - 1 >= saved);
    }
    // SIGHUP reads the recipe again: the next items are under it, none is lost; one that is broken leaves the line as
    // it is.
    void aSignalReadsTheRecipeAgain()
    {
        QTemporaryDir folder;
        for (int i = 0; i < 60; ++i)
            QVERIFY(QFile::link(m_dir.filePath("plate-001.png"),
                                folder.filePath(QString("%1.png").arg(i, 3, 10, QLatin1Char('0')))));
        const std::string recipe = at("again.dikkat"), log = at("again.sqlite");
        auto r = *recipe::load(m_recipe);
        r.revision = 1;
        QVERIFY(recipe::save(r, recipe).has_value());
        QProcess child;
        child.start(QCoreApplication::applicationFilePath(),
                    {"--call", "run", QString::fromStdString(recipe), "--source", "folder:" + folder.path(), "--pause",
                     "50", "--log", QString::fromStdString(log)});
        QByteArray shown;
        const auto until = [&](int lines) {
            while (shown.count('\n') < lines) {
                if (!child.waitForReadyRead(30000)) return false;
                shown += child.readAllStandardOutput();
            }
            return true;
        };
        QVERIFY(until(10));
        r.revision = 2;
        QVERIFY(recipe::save(r, recipe).has_value());
        ::kill(pid_t(child.processId()), SIGHUP);
        QVERIFY(until(25));
        QVERIFY(base::realFiles().write(recipe, "no recipe"));
        ::kill(pid_t(child.processId()), SIGHUP);
        QVERIFY(child.waitForFinished(60000));
        QVERIFY(child.readAllStandardError().contains("read again: revision 2"));
        const auto opened = records::RecordLog::open(QString::fromStdString(log));
        const auto rows = *(*opened)->items({});
        QCOMPARE(rows.size(), std::size_t(60));
        for (std::size_t i = 1; i < rows.size(); ++i) QVERIFY(rows[i - 1].revision >= rows[i].revision); // newest first
        QVERIFY(rows.front().revision == 2 && rows.back().revision == 1);
    }
    // SIGTERM ends the line with everything on disk, exit code as ever; an interrupted `inspect` says that it is not
    // complete.
    void aSignalEndsWithEverythingOnDisk()
    {
        QTemporaryDir folder;
        for (int i = 0; i < 200; ++i)
            QVERIFY(QFile::link(m_dir.filePath("plate-001.png"),
                                folder.filePath(QString("%1.png").arg(i, 3, 10, QLatin1Char('0')))));
        const std::string log = at("term.sqlite"), csv = at("term.csv"), pictures = folder.path().toStdString();
        for (const int number : {SIGTERM, SIGINT}) {
            QProcess child;
            child.start(QCoreApplication::applicationFilePath(),
                        {"--call", "run", QString::fromStdString(m_recipe), "--source", "folder:" + folder.path(),
                         "--log", QString::fromStdString(log), "--csv", QString::fromStdString(csv)});
            QByteArray shown;
            while (shown.count('\n') < 5) {
                QVERIFY(child.waitForReadyRead(30000));
                shown += child.readAllStandardOutput();
            }
            ::kill(pid_t(child.processId()), number);
            QVERIFY(child.waitForFinished(30000));
            shown += child.readAllStandardOutput();
            QCOMPARE(child.exitStatus(), QProcess::NormalExit);
            QCOMPARE(child.exitCode(), 0);
            QVERIFY(child.readAllStandardError().contains("ended by a signal"));
            QVERIFY(shown.count('\n') < 200);
            const auto opened = records::RecordLog::open(QString::fromStdString(log));
            QCOMPARE((*opened)->counts({})->items, (long long)(shown.count('\n')));
            QCOMPARE(lines(*base::readFile(csv)) - 1, int(shown.count('\n')));
            QVERIFY(QFile::remove(QString::fromStdString(log)) && QFile::remove(QString::fromStdString(csv)));
        }
        QStringList words{"--call", "inspect", QString::fromStdString(m_recipe)};
        for (const auto& f : QDir(folder.path()).entryInfoList(QDir::Files)) words << f.filePath();
        words << "--json" << QString::fromStdString(at("part.json"));
        QProcess child;
        child.start(QCoreApplication::applicationFilePath(), words);
        QVERIFY(child.waitForReadyRead(30000));
        ::kill(pid_t(child.processId()), SIGTERM);
        QVERIFY(child.waitForFinished(30000));
        QCOMPARE(child.exitCode(), 2);
        QVERIFY(child.readAllStandardError().contains("ended by a signal after "));
        const auto j = nlohmann::json::parse(*base::readFile(at("part.json"))); // whole, as far as it goes
        QVERIFY(!j["pictures"].empty() && j["pictures"].size() < 200);
    }
};

int main(int argc, char** argv)
{
    qputenv("QT_QPA_PLATFORM", "offscreen");
    QGuiApplication application(argc, argv);
    if (argc > 2 && QString(argv[1]) == "--call")
        return cli::run(std::vector<std::string>(argv + 2, argv + argc), std::cout, std::cerr);
    LineCliTest test;
    return QTest::qExec(&test, argc, argv);
}
#include "line_cli_test.moc"
