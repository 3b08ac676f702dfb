// A setting searched for by the labels: margins of values with known gaps, and a search whose answer is known.
#include "inspect/fitting.h"
#include "support.h"

using namespace support;
using namespace recipe;
using inspect::marginOf;

class FittingTest : public QObject
{
    Q_OBJECT
    // Good parts have three bars of 800 px², bad ones two; both have specks of up to 45 px².
    static image::Image part(bool good, std::uint64_t seed)
    {
        demo::Random random(seed);
        image::Image p(400, 200, image::PixelFormat::Grey8);
        for (std::size_t i = 0; i < p.byteCount(); ++i) p.row(0)[i] = 200;
        const auto fill = [&](int left, int top, int w, int h) {
            for (int y = top; y < top + h; ++y)
                for (int x = left; x < left + w; ++x) p.row(y)[x] = 40;
        };
        for (int i = 0; i < (good ? 3 : 2); ++i) fill(40 + 100 * i, 60, 40, 20);
        for (int i = 0, n = int(random.bits() % 4); i < n; ++i) fill(30 + 80 * i, 140, 9, 1 + int(random.bits() % 5));
        return p;
    }
    struct Set {
        Recipe recipe;
        std::map<std::string, inspect::CapturePtr> pictures;
        inspect::SettingSearch::Reader reader() const
        {
            return [this](const std::string& name) -> base::Result<inspect::CapturePtr> {
                const auto it = pictures.find(name);
                if (it == pictures.end()) return base::fail(base::ErrorCode::NotFound, "no picture " + name);
                return it->second;
            };
        }
    };
    static Set set(int good, int bad)
    {
        Set out;
        chain(out.recipe, "blobs", "bars", [](Step& s) {
            const StepKind& kind = *findKind("blobs");
            kind.param("mode")->put(s.params, std::string("fixed"));
            kind.param("low")->put(s.params, 0.0), kind.param("high")->put(s.params, 100.0);
            kind.param("least_area")->put(s.params, 4.0);
            s.checks.front().output = "count";
        });
        for (int i = 0; i < good + bad; ++i) {
            const std::string name = "part-" + std::to_string(i);
            out.recipe.trials.push_back({name, i < good ? Label::Good : Label::Bad});
            out.pictures[name] =
                std::make_shared<image::Capture>(captureOf(part(i < good, std::uint64_t(i) + 1), name));
        }
        return out;
    }
    static std::vector<int> all(const Set& s)
    {
        std::vector<int> out;
        for (std::size_t i = 0; i < s.recipe.trials.size(); ++i) out.push_back(int(i));
        return out;
    }
private slots:
    void theMarginIsTheGapByGapAndSpread()
    {
        const auto m = marginOf({{10}, {12}}, {{16}, {3}}, {});
        QVERIFY(m.badAmong == 0 && m.goodLost == 0);
        QVERIFY(std::abs(m.margin - 4 / (4 + 2 + 0.24)) < 1e-6); // the nearer one counts
        // Among the good ones: as many as lie there.
        QCOMPARE(marginOf({{10}, {12}}, {{11}, {20}}, {}).margin, -0.5);
        // A good one without a value is lost whatever the others say.
        QCOMPARE(marginOf({{10}, {}, {11}, {12}}, {{20}}, {}).margin, -0.25);
        // A bad one without a value is rejected anyway.
        QCOMPARE(marginOf({{10}}, {{}}, {}).margin, 1.0);
        // Of a list the most telling value of a bad part counts.
        QVERIFY(marginOf({{10, 11}, {10, 12}}, {{10, 11, 30}}, {}).margin > 0.8);
        // No bad one: how far the good ones keep from their limits.
        Limits limits;
        limits.low = 0, limits.high = 10;
        QVERIFY(std::abs(marginOf({{5}, {7}}, {}, limits).margin - 0.6) < 1e-9);
        QVERIFY(marginOf({{5}, {11}}, {}, limits).margin <= 0);
    }
    void theWidestStretchIsTakenInItsMiddle()
    {
        std::vector<inspect::SettingMargin> tried;
        for (const double m : {-1.0, 0.9, 0.2, 0.89, 0.9, 0.9, 0.88, 0.1}) {
            inspect::SettingMargin one;
            one.margin = m;
            tried.push_back(one);
        }
        QCOMPARE(inspect::bestOf(tried), 4);
        for (auto& m : tried) m.margin = -0.1;
        QCOMPARE(inspect::bestOf(tried), -1);
        QCOMPARE(inspect::bestOf({}), -1);
    }
    void theLeastSizeIsFound()
    {
        const Set s = set(6, 5);
        inspect::SettingSearch search(s.recipe, "bars", "count", all(s), s.reader());
        const StepKind& kind = *findKind("blobs");
        std::vector<inspect::SettingMargin> tried;
        for (const double v : inspect::valuesToTry(*kind.param("least_area"), 4, 15)) {
            const auto m = search.at("least_area", v);
            QVERIFY(m);
            tried.push_back(*m);
            const bool clean = v > 45 && v <= 800; // all specks are out, all bars in
            if (clean) QVERIFY2(m->margin > 0.8, qPrintable(QString::number(v)));
            if (v > 800) QVERIFY(m->margin <= 0);
        }
        QVERIFY(tried.front().margin < 0.5); // as it is, specks count
        const int best = inspect::bestOf(tried);
        QVERIFY(best >= 0 && tried[std::size_t(best)].setting > 45 && tried[std::size_t(best)].setting <= 800);
    }
    void whatCannotBeSearchedSaysWhy()
    {
        Set s = set(0, 4);
        inspect::SettingSearch none(s.recipe, "bars", "count", all(s), s.reader());
        const auto noGood = none.at("least_area", 50);
        QVERIFY(!noGood && noGood.error().message.find("good") != std::string::npos);
        s = set(4, 0);
        inspect::SettingSearch noBad(s.recipe, "bars", "count", all(s), s.reader());
        const auto said = noBad.at("least_area", 50);
        QVERIFY(!said && said.error().message.find("bad") != std::string::npos);
        QVERIFY(!noBad.at("no_such", 1));
        s = set(2, 2);
        inspect::SettingSearch unread(s.recipe, "bars", "count", all(s),
                                      [](const std::string&) -> base::Result<inspect::CapturePtr> {
                                          return base::fail(base::ErrorCode::Io, "gone");
                                      });
        QVERIFY(!unread.at("least_area", 50));
    }
    void badOnesOthersRejectDoNotCount()
    {
        Set s = set(2, 2);
        std::vector<inspect::PictureResult> results(4);
        std::vector<const inspect::PictureResult*> pointers;
        for (std::size_t i = 0; i < results.size(); ++i) {
            results[i].items.resize(1);
            inspect::CheckResult own, other;
            own.step = "bars", own.output = "count", own.verdict = inspect::Verdict::Fail;
            other.step = "else", other.verdict = i == 3 ? inspect::Verdict::Fail : inspect::Verdict::Pass;
            results[i].items[0].checks = {own, other};
            pointers.push_back(&results[i]);
        }
        QCOMPARE(inspect::trialsThatCount(s.recipe, pointers, "bars", "count"), (std::vector<int>{0, 1, 2}));
    }
    void valuesStayWithinTheSettingsBounds()
    {
        for (const StepKind& k : allStepKinds())
            for (const ParamSpec& p : k.params)
                if (const auto* r = std::get_if<Real>(&p.domain)) {
                    const double now = std::get<double>(p.fallback);
                    const auto values = inspect::valuesToTry(p, now);
                    QVERIFY2(values.size() >= 2, p.key.c_str());
                    QVERIFY(std::is_sorted(values.begin(), values.end()));
                    QVERIFY(
                        std::any_of(values.begin(), values.end(), [&](double v) { return std::abs(v - now) < 1e-9; }));
                    for (const double v : values) QVERIFY2(v >= r->min && v <= r->max, p.key.c_str());
                }
    }
};

QTEST_APPLESS_MAIN(FittingTest)
#include "fitting_test.moc"
