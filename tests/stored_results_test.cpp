// Recipes and figures of an earlier program: recipe files of format version 1 open, are the same recipe, are saved as
// version 2, and give the values they gave then, to the last bit.
#include "demo/carton.h"
#include "demo/small_sets.h"
#include "demo/targets.h"
#include "support.h"

#include <cmath>
#include <nlohmann/json.hpp>

using nlohmann::json;

class StoredResultsTest : public QObject
{
    Q_OBJECT
    static json stored(const std::string& leaf)
    {
        const auto text = base::readFile(std::string(SOURCE_DIR) + "/tests/data/v1/" + leaf);
        return text ? json::parse(*text) : json();
    }
    // Where the mathematical library may round another way, the last bit is not asked for.
    static bool same(double then, double now)
    {
#if defined(__x86_64__)
        return then == now;
#else
        return std::abs(then - now) <= 1e-9 * std::max(1.0, std::abs(then));
#endif
    }
    static bool same(const json& then, const std::vector<double>& now)
    {
        const json list = then.is_array() ? then : then.is_null() ? json::array() : json::array({then});
        if (list.size() != now.size()) return false;
        for (std::size_t i = 0; i < now.size(); ++i)
            if (!same(list[i].get<double>(), now[i])) return false;
        return true;
    }
private slots:
    void whatWasMeasuredIsMeasuredAgain_data()
    {
        QTest::addColumn<int>("set");
        int i = 0;
        for (const char* name : {"reed-plate", "small-plates", "tuning-ring", "carton-panel", "tilted-plate"})
            QTest::newRow(name) << i++;
    }
    void whatWasMeasuredIsMeasuredAgain()
    {
        QFETCH(const int, set);
        const std::string name = QTest::currentDataTag();
        QTemporaryDir dir;
        const std::string folder = dir.path().toStdString();
        const decltype(&demo::writeReedPlates) write[] = {demo::writeReedPlates, demo::writeSmallPlates,
                                                          demo::writeTuningRings, demo::writeCartonPanels,
                                                          demo::writeTiltedPlates};
        QVERIFY(write[set](folder, 1, 3, {}));
        const json old = stored(name + ".json"), results = stored(name + ".results.json");
        QVERIFY(old["version"] == 1 && results.size() == 3);
        QVERIFY(base::realFiles().write(folder + "/old.json", old.dump()));
        const auto recipe = recipe::load(folder + "/old.json");
        QVERIFY2(recipe.has_value(), recipe ? "" : recipe.error().text().c_str());
        // Version 2 says the same; neither its place nor its way of writing makes it another recipe.
        const std::string newer = folder + "/newer.dikkat";
        QVERIFY(recipe::save(*recipe, newer));
        const auto again = recipe::load(newer);
        QVERIFY2(again.has_value(), again ? "" : again.error().text().c_str());
        QVERIFY(recipe::toJson(*again, folder)["version"] == 2);
        QCOMPARE(recipe::identity(*again), recipe::identity(*recipe));
        QCOMPARE(recipe::identity(*recipe::load(folder + "/" + name + ".dikkat")), recipe::identity(*recipe));
        const auto prepared = inspect::Prepared::make(*again);
        QVERIFY(prepared);
        for (const json& picture : results) {
            const auto capture = image::loadCapture(folder + "/" + picture["picture"].get<std::string>());
            QVERIFY(capture);
            const auto result = inspect::evaluate(*prepared, *capture);
            QCOMPARE(result.items.size(), picture["items"].size());
            for (std::size_t i = 0; i < result.items.size(); ++i) {
                const auto& item = result.items[i];
                const json& then = picture["items"][i];
                QCOMPARE(std::string(inspect::name(item.outcome)), then["outcome"].get<std::string>());
                QCOMPARE(item.checks.size(), then["checks"].size());
                for (std::size_t k = 0; k < item.checks.size(); ++k) {
                    const auto& c = item.checks[k];
                    const json& was = then["checks"][k];
                    QCOMPARE(c.name, was[0].get<std::string>());
                    QCOMPARE(std::string(inspect::name(c.verdict)), was[1].get<std::string>());
                    QVERIFY2(same(was[2], c.values), c.name.c_str());
                }
                QCOMPARE(item.steps.size(), then["steps"].size());
                for (std::size_t k = 0; k < item.steps.size(); ++k) {
                    const json& was = then["steps"][k];
                    QCOMPARE(item.steps[k]->step, was[0].get<std::string>());
                    QCOMPARE(std::string(inspect::name(item.steps[k]->state)), was[1].get<std::string>());
                    for (const auto& o : item.steps[k]->outputs)
                        QVERIFY2(same(was[2][o.name], o.values), (item.steps[k]->step + " " + o.name).c_str());
                }
            }
        }
    }
};
QTEST_MAIN(StoredResultsTest)
#include "stored_results_test.moc"
