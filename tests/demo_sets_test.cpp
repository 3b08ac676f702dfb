// The demo's sets end to end: every verdict agrees with its label, every part is an item, values agree with the truth.
#include "demo/small_sets.h"
#include "support.h"

#include <cmath>
#include <nlohmann/json.hpp>

using nlohmann::json;

class DemoSetsTest : public QObject
{
    Q_OBJECT
    struct Set {
        json truth;
        recipe::Recipe recipe;
        std::vector<inspect::PictureResult> results;
    };
    static Set inspected(const QTemporaryDir& dir, const char* name)
    {
        const std::string folder = dir.path().toStdString();
        Set s;
        QFile f(dir.filePath("truth.json"));
        if (!f.open(QIODevice::ReadOnly)) qFatal("no truth");
        s.truth = json::parse(f.readAll().toStdString());
        s.recipe = *recipe::load(folder + "/" + name + ".dikkat");
        const auto prepared = inspect::Prepared::make(s.recipe);
        for (const json& p : s.truth["pictures"])
            s.results.push_back(
                inspect::evaluate(*prepared, *image::loadCapture(folder + "/" + p["picture"].get<std::string>())));
        return s;
    }
    static const inspect::CheckResult* check(const inspect::ItemResult& item, const char* name)
    {
        for (const auto& c : item.checks)
            if (c.name == name) return &c;
        return nullptr;
    }
private slots:
    void severalSmallPlatesAreItemsOfTheirOwn()
    {
        QTemporaryDir dir;
        QVERIFY(demo::writeSmallPlates(dir.path().toStdString(), 5, 6, {1224, 1024, 0.104}));
        const Set s = inspected(dir, "small-plates");
        for (std::size_t i = 0; i < s.results.size(); ++i) {
            const json& p = s.truth["pictures"][i];
            QCOMPARE(s.results[i].items.size(), p["items"].size());
            QCOMPARE(s.results[i].accepted(), p["label"] == "good");
            for (const auto& item : s.results[i].items) {
                // Its own truth is the nearest one.
                const json* own = nullptr;
                double least = 1e9;
                for (const json& t : p["items"]) {
                    const double d = geometry::distance(item.pose->origin, {t["centre"][0], t["centre"][1]});
                    if (d < least) least = d, own = &t;
                }
                // A plate that is too narrow has no one middle.
                QVERIFY2(least < ((*own)["label"] == "good" ? 0.3 : 2.5), qPrintable(QString::number(least)));
                QCOMPARE(item.accepted(), (*own)["label"] == "good");
                QVERIFY(std::abs(check(item, "Width")->values.at(0) - (*own)["width"].get<double>()) < 0.006);
                QCOMPARE(int(check(item, "Slots")->values.at(0)), (*own)["slots"].get<int>());
            }
            // Numbered row by row: a later item never lies clearly above an earlier one.
            for (std::size_t k = 1; k < s.results[i].items.size(); ++k)
                QVERIFY(s.results[i].items[k].pose->origin.y > s.results[i].items[k - 1].pose->origin.y - 60);
        }
    }
    void theTuningRingShowsItsFaults()
    {
        QTemporaryDir dir;
        QVERIFY(demo::writeTuningRings(dir.path().toStdString(), 5, 9, {1224, 1024, 0.104}));
        const Set s = inspected(dir, "tuning-ring");
        for (std::size_t i = 0; i < s.results.size(); ++i) {
            const json &p = s.truth["pictures"][i], &t = p["items"][0];
            const auto& item = s.results[i].items.at(0);
            QVERIFY2(s.results[i].accepted() == (p["label"] == "good"),
                     qPrintable(QString::fromStdString(item.sentence())));
            QVERIFY(std::abs(check(item, "First notch")->values.at(0) - t["notch"].get<double>()) < 0.05);
            const double round = check(item, "Roundness of the bore")->values.at(0);
            QVERIFY2(round > t["roundness"].get<double>() - 0.01 && round < t["roundness"].get<double>() + 0.04,
                     qPrintable(QString::number(round)));
            const double sink = check(item, "Sink in the rim")->values.at(0);
            QVERIFY2(std::abs(sink - t["sink"].get<double>()) < 0.05, qPrintable(QString::number(sink)));
        }
    }
    void everyFaultOfTheReedPlateIsCaught()
    {
        QTemporaryDir dir;
        QVERIFY(demo::writeReedPlates(dir.path().toStdString(), 2, 24, {1224, 1024, 0.104}));
        const Set s = inspected(dir, "reed-plate");
        for (std::size_t i = 0; i < s.results.size(); ++i) {
            const json& p = s.truth["pictures"][i];
            QVERIFY2(s.results[i].accepted() == (p["label"] == "good"),
                     qPrintable(QString::fromStdString(p["picture"].get<std::string>() + " " + p["fault"].dump() +
                                                       ": " + s.results[i].items[0].sentence())));
            if (p["fault"] == "burr")
                QVERIFY(QString::fromStdString(s.results[i].items[0].sentence()).startsWith("Burr"));
        }
    }
};
QTEST_GUILESS_MAIN(DemoSetsTest)
#include "demo_sets_test.moc"
