// Files that are not as they should be: every single value of a recipe or a calibration made wrong, cut off, or taken
// away. Each is either read, or refused by an error that names the file; nothing is taken that a second reading would
// refuse, and nothing crashes.
#include "base/files.h"
#include "demo/carton.h"
#include "demo/targets.h"
#include "inspect/calibrating.h"
#include "recipe/calibration_file.h"
#include "support.h"

#include <filesystem>
#include <nlohmann/json.hpp>

using nlohmann::json;

namespace
{
// Paths of all values, objects and lists included.
void paths(const json& j, const json::json_pointer& at, std::vector<json::json_pointer>& out)
{
    out.push_back(at);
    if (j.is_object())
        for (const auto& [key, v] : j.items()) paths(v, at / key, out);
    if (j.is_array())
        for (std::size_t i = 0; i < j.size(); ++i) paths(j[i], at / i, out);
}
// What people and programs get wrong.
const std::vector<json>& wrongs()
{
    static const std::vector<json> all{
        nullptr,   true, -1,  0,   1e300,         -1e300,         0.5,
        1e18,      "",   "x", "[", json::array(), json::object(), json::array({1, 2, "y"}),
        "\xff\xfe"};
    return all;
}
} // namespace

class BrokenFilesTest : public QObject
{
    Q_OBJECT
    QTemporaryDir m_dir;
    std::string at(const std::string& leaf) const { return m_dir.filePath(QString::fromStdString(leaf)).toStdString(); }

    // Loads it; a refusal has to name the file.
    template <class Load> bool readOrRefused(Load load, const std::string& file, int& refused)
    {
        const auto r = load(file);
        if (r) return true;
        ++refused;
        const bool named =
            r.error().text().find(std::filesystem::path(file).filename().string()) != std::string::npos &&
            !r.error().message.empty();
        if (!named) qWarning("%s", r.error().text().c_str());
        return named;
    }
    static std::string written(const json& j) { return j.dump(1, ' ', false, json::error_handler_t::replace); }

    template <class Load>
    void wrongValues(const std::string& file, const json& whole, Load load, std::size_t rounds, int& refused)
    {
        std::vector<json::json_pointer> all;
        paths(whole, json::json_pointer(), all);
        demo::Random random(4);
        for (std::size_t n = 0; n < rounds; ++n) {
            json j = whole;
            // Mostly one thing is wrong, sometimes two.
            for (int k = 0; k < (n % 5 ? 1 : 2); ++k) {
                const auto& p = all[std::size_t(random.uniform(0, double(all.size()) - 0.001))];
                if (p.empty() || !j.contains(p)) continue;
                if (n % 7 == 3) { // taken away
                    json& parent = j.at(p.parent_pointer());
                    if (parent.is_object()) parent.erase(p.back());
                    else parent.erase(std::stoul(p.back()));
                } else {
                    j[p] = wrongs()[std::size_t(random.uniform(0, double(wrongs().size()) - 0.001))];
                }
            }
            QVERIFY(base::realFiles().write(file, written(j)));
            QVERIFY2(readOrRefused(load, file, refused), written(j).substr(0, 2000).c_str());
        }
    }

private slots:
    void initTestCase()
    {
        support::writeDemo(m_dir, 1);
        QVERIFY(recipe::unpack(at("reed-plate.dikkat"), at("plate")));
        QVERIFY(demo::writeCartonPanels(at("carton-set"), 1, 1, {612, 512, 0.208}));
        QVERIFY(recipe::unpack(at("carton-set/carton-panel.dikkat"), at("carton")));
    }
    void wrongValuesInRecipes_data()
    {
        QTest::addColumn<QString>("set");
        QTest::newRow("reed plate") << "plate";
        QTest::newRow("carton panel") << "carton";
    }
    void wrongValuesInRecipes()
    {
        QFETCH(QString, set);
        const std::string file = at(set.toStdString() + "/recipe.json");
        const json whole = json::parse(*base::readFile(file));
        QVERIFY(recipe::load(file));
        int refused = 0;
        QString lost;
        wrongValues(
            file, whole,
            [&](const std::string& f) -> base::Result<int> {
                auto r = recipe::load(f);
                if (!r) return base::passOn(r.error());
                // What was taken can be inspected and saved, and the saved one is read again.
                const auto prepared = inspect::Prepared::make(*r);
                const std::string copy = f + ".copy.dikkat";
                if (auto ok = recipe::save(*r, copy); !ok)
                    lost = QString::fromStdString("not saved: " + ok.error().text());
                else if (auto again = recipe::load(copy); !again)
                    lost = QString::fromStdString("saved and refused: " + again.error().text());
                return prepared ? 1 : 0;
            },
            300, refused);
        QVERIFY2(lost.isEmpty(), qPrintable(lost));
        QVERIFY2(refused > 100, qPrintable(QString::number(refused)));
    }
    void wrongValuesInCalibrations()
    {
        QVERIFY(demo::writeTargets(at("targets"), 3, 2, {816, 683, 0.156}));
        const inspect::Target t{inspect::TargetKind::Checkerboard, 15, 12, 8.5, 0};
        const auto done = inspect::calibrateFrom(t, {at("targets/board-01.png"), at("targets/board-02.png")}, -1,
                                                 nullptr, nullptr, 0);
        QVERIFY(done.fit);
        const json whole{{"format", "dikkat-calibration"},
                         {"version", recipe::kCalibrationVersion},
                         {"calibration", recipe::calibrationToJson(done.fit->calibration)}};
        const std::string file = at("lens.json");
        QVERIFY(base::realFiles().write(file, written(whole)));
        QVERIFY(recipe::loadCalibration(file));
        int refused = 0;
        wrongValues(
            file, whole,
            [](const std::string& f) -> base::Result<int> {
                const auto c = recipe::loadCalibration(f);
                if (!c) return base::passOn(c.error());
                // Whatever lens was taken: places stay finite both ways.
                for (const geometry::Point p : {geometry::Point{0, 0}, {400, 300}, {815, 682}})
                    for (const geometry::Point q : {c->level(p), c->picture(p), c->mm(p), c->fromMm(p)})
                        if (!std::isfinite(q.x) || !std::isfinite(q.y))
                            return base::fail(base::ErrorCode::Corrupt, "a place is not finite");
                return 1;
            },
            1500, refused);
        QVERIFY2(refused > 400, qPrintable(QString::number(refused)));
    }
    void cutOffFilesAreRefused()
    {
        for (const char* leaf : {"reed-plate.dikkat", "plate/recipe.json"}) {
            const std::string whole = *base::readFile(at(leaf));
            const std::string file = at(std::string("cut-") + std::filesystem::path(leaf).filename().string());
            int refused = 0;
            for (int n = 0; n < 60; ++n) {
                QVERIFY(base::realFiles().write(file, whole.substr(0, whole.size() * std::size_t(n) / 61)));
                QVERIFY(readOrRefused([](const std::string& f) { return recipe::load(f); }, file, refused));
            }
            QCOMPARE(refused, 60);
        }
    }
    void spoiltBytesAreReadOrRefused()
    {
        const std::string whole = *base::readFile(at("reed-plate.dikkat"));
        demo::Random random(8);
        int refused = 0;
        for (int n = 0; n < 150; ++n) {
            std::string spoilt = whole;
            for (int k = 0; k < 1 + n % 4; ++k)
                spoilt[std::size_t(random.uniform(0, double(whole.size()) - 1))] = char(random.uniform(0, 255));
            const std::string file = at("spoilt.dikkat");
            QVERIFY(base::realFiles().write(file, spoilt));
            QVERIFY(readOrRefused([](const std::string& f) { return recipe::load(f); }, file, refused));
        }
        QVERIFY2(refused > 30, qPrintable(QString::number(refused)));
    }
};
QTEST_GUILESS_MAIN(BrokenFilesTest)
#include "broken_files_test.moc"
