// Worked examples: every number below was worked out by hand with fractions, not by this program.
#include "inspect/repeatability.h"
#include "support.h"

using namespace inspect;

class RepeatabilityTest : public QObject
{
    Q_OBJECT
    static bool near(double a, double b) { return std::abs(a - b) <= 5e-7 * std::max(1.0, std::abs(b)); }
private slots:
    void capabilityOfAGauge()
    {
        // Ten takes; deviations from 10.002 in µm: -2 0 1 -1 2 0 -1 1 0 0. Sum of squares 12, s² = 12/9.
        std::vector<double> v;
        for (const int d : {-2, 0, 1, -1, 2, 0, -1, 1, 0, 0}) v.push_back(10.002 + d * 0.001);
        const auto r = repeatability(v, 0.1, 10.0);
        QVERIFY(r.has_value());
        QVERIFY(near(r->mean, 10.002) && near(r->spread * 1000, 1.1547005));
        QVERIFY(near(*r->bias * 1000, 2.0));
        // 0.2·0.1 / (6·0.0011547005) and (0.1·0.1 - 0.002) / (3·0.0011547005)
        QVERIFY2(near(*r->cg, 2.8867513), qPrintable(QString::number(*r->cg, 'g', 9)));
        QVERIFY2(near(*r->cgk, 2.3094011), qPrintable(QString::number(*r->cgk, 'g', 9)));
        // 2·sqrt(s² + bias²/3) = 2·sqrt(4/3 + 4/3) µm
        QVERIFY(near(r->uncertainty * 1000, 3.2659863));
        const auto wide = repeatability(v, 0.1, 10.0, {0.15, 4, 0.075, 2, 3});
        QVERIFY(near(*wide->cg, 0.15 * 0.1 / (4 * 0.0011547005383792516)) &&
                near(*wide->cgk, (0.0075 - 0.002) / (2 * 0.0011547005383792516)));
    }
    void tooLittleIsRefused()
    {
        QVERIFY(!repeatability({1.0}));
        QVERIFY(!repeatability({1.0, 2.0}, 0.0));
        QVERIFY(!repeatability({1.0, 1.0}, 1.0)->cg); // no spread, no ratio
    }
    void threeWayStudy()
    {
        // 3 parts × 2 persons × 2 repeats; cells: (1,3) (4,6) / (5,7) (5,9) / (10,12) (9,11).
        const double cells[3][2][2] = {{{1, 3}, {4, 6}}, {{5, 7}, {5, 9}}, {{10, 12}, {9, 11}}};
        std::vector<StudyValue> v;
        for (int p = 0; p < 3; ++p)
            for (int o = 0; o < 2; ++o)
                for (int r = 0; r < 2; ++r) v.push_back({std::to_string(p), std::to_string(o), cells[p][o][r]});
        // Cell means 2 5 / 6 7 / 11 10; part means 3.5 6.5 10.5; person means 19/3 22/3; grand mean 41/6.
        const auto s = study(v, 24.0, 0.25);
        QVERIFY(s.has_value());
        // SS part = 4·Σ(mean - 41/6)² = 296/3; person = 6·2·(1/2)² = 3; cells = 2·Σ(cell mean - 41/6)² = 659/6:
        // cells: 2·(2²+5²+6²+7²+11²+10²) - 12·(41/6)² = 670 - 560.333333 = 109.666667; interaction = 109.666667 -
        // 98.666667 - 3 = 8. within = 2+2+2+8+2+2 = 18, 6 degrees of freedom.
        QCOMPARE(int(s->table.size()), 5);
        QVERIFY(near(s->table[0].squares, 98.6666667) && s->table[0].freedom == 2);
        QVERIFY(near(s->table[1].squares, 3) && s->table[1].freedom == 1);
        QVERIFY(near(s->table[2].squares, 8) && s->table[2].freedom == 2);
        QVERIFY(near(s->table[4].squares, 127.6666667) && s->table[4].freedom == 11);
        // F of the interaction = 4/3; p of F(2, 6) in closed form: (1 + 2F/6)^-3 = (13/9)^-3.
        QVERIFY(near(*s->table[2].f, 1.3333333) && near(*s->table[2].p, 0.3318161));
        // Above 0.25: pooled, error = 26/8.
        QVERIFY(s->pooled);
        QVERIFY(near(s->table[3].squares, 26) && s->table[3].freedom == 8 && near(s->table[3].mean, 3.25));
        // F of the parts = 49.333333/3.25; p of F(2, 8) = (1 + 2F/8)^-4.
        QVERIFY(near(*s->table[0].f, 15.1794872) && near(*s->table[0].p, std::pow(1 + 15.179487179487179 / 4, -4)));
        // Components: repeatability 3.25; person (3 - 3.25)/6 < 0 → 0; part (49.333333 - 3.25)/4.
        QVERIFY(near(s->components[0].variance, 3.25) && s->components[1].variance == 0);
        QVERIFY(near(s->components[3].variance, 11.5208333));
        QVERIFY(near(s->components[4].variance, 14.7708333));
        QVERIFY(near(s->components[2].shareOfTotal, 100 * std::sqrt(3.25 / 14.770833333333334)));
        QVERIFY(near(*s->components[2].shareOfTolerance, 100 * 6 * std::sqrt(3.25) / 24));
        QCOMPARE(s->categories, 2.0); // 1.41·sqrt(11.5208/3.25) = 2.65
        // Not pooled: parts and persons against the interaction.
        const auto whole = study(v, {}, 1.0);
        QVERIFY(!whole->pooled && near(whole->table[3].mean, 3) && near(*whole->table[0].f, 12.3333333));
        QVERIFY(near(*whole->table[1].f, 0.75));
        // p of F(1, 2) = 1 - sqrt(F / (F + 2)).
        QVERIFY(near(*whole->table[1].p, 1 - std::sqrt(0.75 / 2.75)));
        QVERIFY(near(whole->components[1].variance, 0.5)); // person (3-4)/6 → 0, interaction (4-3)/2
    }
    void incompleteStudiesAreRefusedByName()
    {
        std::vector<StudyValue> v{{"a", "x", 1}, {"a", "x", 2}, {"a", "y", 1}, {"a", "y", 1},
                                  {"b", "x", 2}, {"b", "x", 2}, {"b", "y", 3}};
        const auto s = study(v);
        QVERIFY(!s && s.error().message.find("part \"b\" by \"y\" has 1") != std::string::npos);
        QVERIFY(!study({{"a", "x", 1}, {"a", "x", 2}}));
    }
    void noisyCopiesHaveTheNoiseAskedFor()
    {
        image::Image flat(400, 300, image::PixelFormat::Grey8);
        for (int y = 0; y < 300; ++y) std::fill_n(flat.row(y), 400, std::uint8_t(120));
        const auto copy = noisyCopy(flat, 3, 5), again = noisyCopy(flat, 3, 5), other = noisyCopy(flat, 3, 6);
        double sum = 0, square = 0;
        bool same = true, differs = false;
        for (int y = 0; y < 300; ++y)
            for (int x = 0; x < 400; ++x) {
                const double d = copy.row(y)[x] - 120.0;
                sum += d, square += d * d;
                same = same && copy.row(y)[x] == again.row(y)[x];
                differs = differs || copy.row(y)[x] != other.row(y)[x];
            }
        QVERIFY(same && differs);
        QVERIFY(std::abs(sum / 120000) < 0.05);
        QVERIFY(std::abs(std::sqrt(square / 120000) - std::sqrt(9 + 1.0 / 12)) < 0.05);
    }
};
QTEST_APPLESS_MAIN(RepeatabilityTest)
#include "repeatability_test.moc"
