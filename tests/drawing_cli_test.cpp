#include "base/files.h"
#include "cli/commands.h"
#include "demo/drawn_parts.h"
#include "drawing/dxf.h"

#include <QTemporaryDir>
#include <QtTest>
#include <nlohmann/json.hpp>
#include <set>
#include <sstream>

using nlohmann::json;

class DrawingCliTest : public QObject
{
    Q_OBJECT
    QTemporaryDir m_dir;
    std::string path(const char* leaf) const { return m_dir.filePath(leaf).toStdString(); }
    struct Said {
        int code;
        std::string out, err;
        json value() const { return json::parse(out); }
    };
    static Said run(const std::vector<std::string>& words)
    {
        std::ostringstream out, err;
        const int code = cli::run(words, out, err);
        return {code, out.str(), err.str()};
    }

private slots:
    void initTestCase() { QVERIFY(demo::writeDrawnPlates(m_dir.path().toStdString(), 2, 12, {})); }
    void aDrawingIsDescribed()
    {
        const Said said = run({"drawing", path("plate.dxf"), "--json", "-"});
        QVERIFY2(said.code == 0, said.err.c_str());
        const json j = said.value();
        QCOMPARE(j["entities"]["CIRCLE"].get<int>(), 4);
        QCOMPARE(j["entities"]["LINE"].get<int>(), 44);
        QCOMPARE(j["unit"].get<std::string>(), std::string("mm"));
        QCOMPARE(int(j["outlines"].size()), 15);
        QVERIFY(std::abs(j["box_mm"][2].get<double>() - 100) < 1e-9);
        QVERIFY(j["not_read"].empty());
        QCOMPARE(run({"drawing", path("plate.dxf"), "--layers-off", "gone"}).code, 2);
        QVERIFY(run({"drawing", path("plate.dxf"), "--layers-off", "gone"}).err.find("outline") != std::string::npos);
        QCOMPARE(run({"drawing", path("plate-001.png")}).code, 2);
        QCOMPARE(run({"drawing"}).code, 2);
        QCOMPARE(run({"drawing", path("plate.dxf"), "--unit", "ell"}).code, 2);
        QCOMPARE(run({"drawing", path("plate.dxf"), "--json", path("plate.dxf")}).code, 2); // never over what was read
    }
    void partsAreComparedWithTheirDrawing()
    {
        const auto truth = base::readFile(path("truth.json"));
        QVERIFY(truth);
        const json t = json::parse(*truth);
        std::vector<std::string> words{"compare", path("plate.dxf")};
        for (const json& p : t["pictures"]) words.push_back(path(p["picture"].get<std::string>().c_str()));
        for (const char* w : {"--mm-per-px", "0.052", "--tolerance", "0.1", "--json", "-", "--annotate"})
            words.push_back(w);
        words.push_back(path("drawn"));
        const Said said = run(words);
        QVERIFY2(said.code == 1, said.err.c_str());
        const json j = said.value();
        QCOMPARE(j["pictures"].size(), t["pictures"].size());
        for (std::size_t i = 0; i < t["pictures"].size(); ++i) {
            const json& p = t["pictures"][i];
            QCOMPARE(j["pictures"][i]["items"].size(), p["items"].size());
            std::set<std::string> faults;
            for (const json& one : p["items"])
                if (!one["fault"].is_null()) faults.insert(one["fault"].get<std::string>());
            if (faults.empty()) QVERIFY2(j["pictures"][i]["verdict"] == "accept", j["pictures"][i].dump(1).c_str());
            // What the outline shows: its form and place, holes missing or too many.
            for (const char* shown :
                 {"notch", "burr", "bevelled corner", "hole off", "hole missing", "surplus hole", "too small"})
                if (faults.count(shown))
                    QVERIFY2(j["pictures"][i]["verdict"] == "reject",
                             (std::string(shown) + j["pictures"][i].dump(1)).c_str());
            for (const json& item : j["pictures"][i]["items"]) {
                if (faults == std::set<std::string>{"hole missing"} && item["verdict"] == "reject")
                    QCOMPARE(int(item["missing"].size()), 1);
                if (faults == std::set<std::string>{"surplus hole"} && item["verdict"] == "reject")
                    QCOMPARE(int(item["surplus"].size()), 1);
            }
            QVERIFY(QFile::exists(m_dir.filePath(
                "drawn/" + QString::fromStdString(p["picture"].get<std::string>()).replace(".png", "-annotated.png"))));
        }
    }
    void datumsAreChosenByNumber()
    {
        const json j = run({"drawing", path("plate.dxf"), "--json", "-"}).value();
        std::vector<int> holes;
        for (const json& o : j["outlines"])
            if (o.contains("diameter_mm")) holes.push_back(o["elements"][0].get<int>());
        QVERIFY(holes.size() == 4);
        const std::string datum = "holes:" + std::to_string(holes[0]) + "," + std::to_string(holes[1]);
        const Said said = run({"compare", path("plate.dxf"), path("reference.png"), "--mm-per-px", "0.052", "--datum",
                               datum, "--json", "-"});
        QVERIFY2(said.code == 0, (said.out + said.err).c_str());
        QCOMPARE(run({"compare", path("plate.dxf"), path("reference.png"), "--mm-per-px", "0.052", "--datum",
                      "holes:1,99999"})
                     .code,
                 2);
        QCOMPARE(run({"compare", path("plate.dxf"), path("reference.png"), "--mm-per-px", "0.052", "--datum", "corner"})
                     .code,
                 2);
        QCOMPARE(run({"compare", path("plate.dxf"), path("reference.png")}).code, 2); // no calibration
    }
    void aMistakenUnitIsSaid()
    {
        const Said said =
            run({"compare", path("plate.dxf"), path("reference.png"), "--mm-per-px", "0.052", "--unit", "inch"});
        QCOMPARE(said.code, 1);
        QVERIFY2((said.out + said.err).find("inch") != std::string::npos ||
                     (said.out + said.err).find("is its unit right?") != std::string::npos,
                 (said.out + said.err).c_str());
    }
    void anUnknownPartIsTracedAndThenPasses()
    {
        const std::string dxf = path("unknown.dxf");
        const Said traced =
            run({"trace", path("unknown-part.png"), "--mm-per-px", "0.052", "--dxf", dxf, "--json", "-"});
        QVERIFY2(traced.code == 0, traced.err.c_str());
        QCOMPARE(int(traced.value()["outlines"].size()), 3);
        const Said said = run(
            {"compare", dxf, path("unknown-part.png"), "--mm-per-px", "0.052", "--tolerance", "0.03", "--json", "-"});
        QVERIFY2(said.code == 0, (said.out + said.err).c_str());
        QVERIFY(said.value()["pictures"][0]["items"][0]["profile_mm"].get<double>() < 0.03);
        QCOMPARE(run({"trace", path("unknown-part.png"), "--mm-per-px", "0.052"}).code, 2); // nowhere to
        QCOMPARE(run({"trace", path("gone.png"), "--mm-per-px", "0.052", "--dxf", dxf}).code, 2);
    }
};

QTEST_MAIN(DrawingCliTest)
#include "drawing_cli_test.moc"
