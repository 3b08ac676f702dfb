// Demo sets in which good and faulty parts are compared, and the one that is joined from tiles: verdict, named fault
// and its place agree with the truth.
#include "demo/fitted_reeds.h"
#include "demo/long_plate.h"
#include "demo_set_support.h"
#include "image/tiles.h"
#include "inspect/faults.h"

using nlohmann::json;

class DemoSameTest : public QObject
{
    Q_OBJECT
private slots:
    void comparisonsAgreeWithTheirTruth_data()
    {
        QTest::addColumn<int>("seed");
        for (int seed = 1; seed <= 3; ++seed) QTest::addRow("%d", seed) << seed;
    }
    void comparisonsAgreeWithTheirTruth()
    {
        QFETCH(int, seed);
        // Verdict, named fault and its place.
        const std::map<std::string, std::pair<std::string, std::string>> shows{
            {"reed missing", {"reeds", "missing"}},
            {"reed reversed", {"reeds", "reversed"}},
            {"reed turned", {"reeds", "turned "}},
            {"reed shifted", {"reeds", "shifted "}},
            {"reed lifted", {"reeds", "lifted "}},
            {"rivet missing", {"rivets", "missing"}},
            {"scratch", {"ground", "surface"}},
            {"no glue", {"joints", "none"}},
            {"too little glue", {"joints", "too little"}},
            {"too much glue", {"joints", "sticks out"}},
            {"glue bridged", {"joints", "bridged with "}},
            {"line missing", {"print", "Print, as learned"}},
            {"blot", {"print", "Print, as learned"}},
            {"weak colour", {"print", "Print, as learned"}},
            {"print off", {"print", "print off"}}};
        std::set<std::string> seen;
        for (const bool reeds : {true, false}) {
            QTemporaryDir dir;
            const std::string to = dir.path().toStdString();
            QVERIFY(reeds ? demo::writeFittedReeds(to, std::uint64_t(seed), seed == 1 ? 33 : 9, {})
                          : demo::writeLabelPrints(to, std::uint64_t(seed), seed == 1 ? 12 : 6, {}));
            const support::InspectedSet s = support::inspected(dir, reeds ? "fitted-reeds" : "label-print");
            for (std::size_t i = 0; i < s.results.size(); ++i) {
                const json& p = s.truth["pictures"][i];
                const auto& item = s.results[i].items.front();
                const QString what = QString::fromStdString(p["picture"].get<std::string>() + " " + p["fault"].dump() +
                                                            ": " + item.sentence());
                QVERIFY2(item.accepted() == (p["label"] == "good"), qPrintable(what));
                if (item.accepted()) continue;
                const std::string fault = p["fault"].get<std::string>();
                seen.insert(fault);
                const auto& [step, word] = shows.at(fault);
                const int place = p["items"][0].value("place", 0);
                bool named = false;
                for (const auto& f : inspect::faultsOf(item))
                    named = named || (f.step == step && f.name.rfind(word, 0) == 0 &&
                                      (place == 0 || f.number.substr(f.number.find('.') + 1) == std::to_string(place)));
                QVERIFY2(named, qPrintable(what));
            }
        }
        QCOMPARE(seen.size(), std::size_t(seed == 1 ? 15 : 5));
    }
    void longPlatesAreJoined_data()
    {
        QTest::addColumn<int>("seed");
        for (int seed = 1; seed <= 5; ++seed) QTest::addRow("%d", seed) << seed;
    }
    void longPlatesAreJoined()
    {
        QFETCH(int, seed);
        QTemporaryDir dir;
        QVERIFY(demo::writeLongPlates(dir.path().toStdString(), std::uint64_t(seed), seed == 1 ? 12 : 6, {}));
        const support::InspectedSet s = support::inspected(dir, "long-plate");
        double worst = 0, residual = 0;
        int lost = 0;
        for (std::size_t i = 0; i < s.results.size(); ++i) {
            const json& p = s.truth["pictures"][i];
            const auto& item = s.results[i].items.at(0);
            const std::string fault = p["fault"].is_null() ? "" : p["fault"].get<std::string>();
            const QString what =
                QString::fromStdString(p["picture"].get<std::string>() + " " + fault + ": " + item.sentence());
            QVERIFY2(item.accepted() == (p["label"] == "good"), qPrintable(what));
            const auto capture =
                image::loadCapture(dir.path().toStdString() + "/" + p["picture"].get<std::string>(), s.recipe.pictures);
            residual = std::max(residual, capture->first().joined->worstResidual());
            const auto* pitch = support::checkOf(item, "Hole pitch");
            if (fault == "tile lost") {
                ++lost;
                // Said, and never measured where nothing was seen.
                QVERIFY2(!s.results[i].warnings.empty() &&
                             s.results[i].warnings.front().find("is missing") != std::string::npos,
                         qPrintable(what));
                QVERIFY(support::checkOf(item, "Slots")->verdict == inspect::Verdict::NotMeasured);
                continue;
            }
            QVERIFY2(s.results[i].warnings.empty(),
                     s.results[i].warnings.empty() ? "" : s.results[i].warnings.front().c_str());
            worst = std::max(worst, std::abs(pitch->values.at(0) - p["items"][0]["pitch"].get<double>()));
            if (fault == "pitch off") QVERIFY2(pitch->verdict == inspect::Verdict::Fail, qPrintable(what));
            if (fault == "slot missing")
                QVERIFY2(support::checkOf(item, "Slots")->verdict == inspect::Verdict::Fail, qPrintable(what));
            if (fault == "slot short") {
                const auto* length = support::checkOf(item, "Slot length");
                QCOMPARE(length->failed(), std::vector<int>{p["items"][0]["slot"].get<int>()});
            }
        }
        qInfo("length across two seams: within %.4f mm; residual %.4f px; %d without a tile", worst, residual, lost);
        QVERIFY2(worst <= 0.01, qPrintable(QString::number(worst)));
        QVERIFY2(residual <= 0.05, qPrintable(QString::number(residual)));
    }
};

QTEST_GUILESS_MAIN(DemoSameTest)
#include "demo_same_test.moc"
