// The demo's sets end to end: every verdict agrees with its label, every part is an item, values agree with the truth.
#include "demo/drawn_parts.h"
#include "demo/height_sets.h"
#include "demo/small_sets.h"
#include "demo_set_support.h"

#include <cmath>

using nlohmann::json;

class DemoSetsTest : public QObject
{
    Q_OBJECT
private slots:
    void severalSmallPlatesAreItemsOfTheirOwn()
    {
        QTemporaryDir dir;
        QVERIFY(demo::writeSmallPlates(dir.path().toStdString(), 5, 6, {1224, 1024, 0.104}));
        const support::InspectedSet s = support::inspected(dir, "small-plates");
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
                QVERIFY(std::abs(support::checkOf(item, "Width")->values.at(0) - (*own)["width"].get<double>()) <
                        0.006);
                QCOMPARE(int(support::checkOf(item, "Slots")->values.at(0)), (*own)["slots"].get<int>());
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
        const support::InspectedSet s = support::inspected(dir, "tuning-ring");
        for (std::size_t i = 0; i < s.results.size(); ++i) {
            const json &p = s.truth["pictures"][i], &t = p["items"][0];
            const auto& item = s.results[i].items.at(0);
            QVERIFY2(s.results[i].accepted() == (p["label"] == "good"),
                     qPrintable(QString::fromStdString(item.sentence())));
            QVERIFY(std::abs(support::checkOf(item, "First notch")->values.at(0) - t["notch"].get<double>()) < 0.05);
            const double round = support::checkOf(item, "Roundness of the bore")->values.at(0);
            QVERIFY2(round > t["roundness"].get<double>() - 0.01 && round < t["roundness"].get<double>() + 0.04,
                     qPrintable(QString::number(round)));
            const double sink = support::checkOf(item, "Sink in the rim")->values.at(0);
            QVERIFY2(std::abs(sink - t["sink"].get<double>()) < 0.05, qPrintable(QString::number(sink)));
        }
    }
    // Five seeds: every verdict agrees with its label, and the element that is at fault is named.
    void heightsOfReedsAndOrgans_data()
    {
        QTest::addColumn<QString>("set");
        QTest::addColumn<QString>("check");
        for (int seed = 1; seed <= 5; ++seed)
            for (const auto& [set, check] : {std::pair{"reed-gap", "Tip over plate"}, {"organ-tray", "Height of each"}})
                QTest::addRow("%s %d", set, seed) << QString(set) << QString(check);
    }
    void heightsOfReedsAndOrgans()
    {
        QFETCH(QString, set);
        QFETCH(QString, check);
        const auto seed = std::uint64_t(QString(QTest::currentDataTag()).split(' ').last().toInt());
        QTemporaryDir dir;
        const auto write = set == "reed-gap" ? demo::writeReedGaps : demo::writeOrganTrays;
        QVERIFY(write(dir.path().toStdString(), seed, 12, {1224, 1024, 0.104}));
        const support::InspectedSet s = support::inspected(dir, set.toUtf8().constData());
        int bad = 0;
        for (std::size_t i = 0; i < s.results.size(); ++i) {
            const json &p = s.truth["pictures"][i], &t = p["items"][0];
            const auto& item = s.results[i].items.at(0);
            const QString what = QString::fromStdString(p["picture"].get<std::string>() + " " + p["fault"].dump() +
                                                        ": " + item.sentence());
            QVERIFY2(s.results[i].accepted() == (p["label"] == "good"), qPrintable(what));
            const auto* heights = support::checkOf(item, check.toUtf8().constData());
            QVERIFY2(heights && heights->elements.size() == (set == "reed-gap" ? 10 : 12), qPrintable(what));
            if (p["label"] == "good") {
                QVERIFY(heights->failed().empty());
                if (set == "reed-gap")
                    for (std::size_t k = 0; k < 10; ++k) // the tip rises on to its end: its middle lies a little lower
                        QVERIFY2(std::abs(heights->values[k] - t["tips"][k].get<double>() + 0.02) < 0.035,
                                 qPrintable(what + " " + QString::number(heights->values[k]) + " " +
                                            QString::number(t["tips"][k].get<double>())));
                continue;
            }
            ++bad;
            QVERIFY2(heights->failed() == std::vector<int>{t["element"].get<int>()}, qPrintable(what));
            if (p["fault"] == "reed missing")
                QVERIFY(heights->elements[std::size_t(heights->failed()[0] - 1)].reason == "missing");
            if (set == "organ-tray") {
                const auto* kinds = support::checkOf(item, "How many of each kind");
                const std::string named = p["fault"] == "organ missing" ? "organ" : p["fault"].get<std::string>();
                bool said = false;
                for (const auto& e : kinds->elements)
                    said = said || (e.name == named && e.verdict == inspect::Verdict::Fail);
                QVERIFY2(said, qPrintable(what));
            }
        }
        QCOMPARE(bad, 4);
    }
    void platesAgreeWithTheirDrawing_data()
    {
        QTest::addColumn<int>("seed");
        for (int seed = 1; seed <= 5; ++seed) QTest::addRow("%d", seed) << seed;
    }
    void platesAgreeWithTheirDrawing()
    {
        QFETCH(int, seed);
        QTemporaryDir dir;
        QVERIFY(demo::writeDrawnPlates(dir.path().toStdString(), std::uint64_t(seed), seed == 1 ? 24 : 12, {}));
        const support::InspectedSet s = support::inspected(dir, "drawn-plate");
        const std::map<std::string, std::string> shows{{"notch", "Outline"},
                                                       {"burr", "Outline"},
                                                       {"bevelled corner", "Outline"},
                                                       {"hole off", "place"},
                                                       {"hole not round", "roundness"},
                                                       {"hole missing", "Drawn, not found"},
                                                       {"surplus hole", "Found, not drawn"},
                                                       {"too small", "Overall length"}};
        std::set<std::string> seen;
        for (std::size_t i = 0; i < s.results.size(); ++i) {
            const json& p = s.truth["pictures"][i];
            QCOMPARE(s.results[i].items.size(), p["items"].size());
            for (const auto& item : s.results[i].items) {
                // Which of the plates it is.
                const auto outline = drawing::Outline::make(demo::plateDrawing());
                const drawing::Laid laid{*item.pose, 1 / 0.052, false};
                const geometry::Point middle = laid.toPicture(drawing::sheet({50, 13}));
                const json* own = nullptr;
                for (const json& one : p["items"])
                    if (std::hypot(one["centre"][0].get<double>() - middle.x,
                                   one["centre"][1].get<double>() - middle.y) < 30)
                        own = &one;
                const QString what = QString::fromStdString(p["picture"].get<std::string>() + " " + p["fault"].dump() +
                                                            ": " + item.sentence());
                QVERIFY2(own, qPrintable(what));
                QVERIFY2(item.accepted() == ((*own)["label"] == "good"), qPrintable(what));
                if (item.accepted()) continue;
                const std::string fault = (*own)["fault"].get<std::string>();
                seen.insert(fault);
                bool named = false;
                for (const auto& c : item.checks)
                    named = named ||
                            (c.verdict == inspect::Verdict::Fail && c.name.find(shows.at(fault)) != std::string::npos);
                QVERIFY2(named, qPrintable(what));
            }
        }
        QVERIFY(seen.size() >= (seed == 1 ? 7u : 4u));
    }
    void everyFaultOfTheReedPlateIsCaught()
    {
        QTemporaryDir dir;
        QVERIFY(demo::writeReedPlates(dir.path().toStdString(), 2, 24, {1224, 1024, 0.104}));
        const support::InspectedSet s = support::inspected(dir, "reed-plate");
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
