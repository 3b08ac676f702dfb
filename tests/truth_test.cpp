// Nothing is accepted by accident: what was not judged, not listed, not wanted or not there is never a pass.
#include "inspect/proposals.h"
#include "inspect/review.h"
#include "recipe/expression.h"
#include "support.h"
#include "vision/pattern.h"
#include "vision/threshold.h"

using namespace support;
using namespace recipe;
using geometry::Point;
using geometry::Pose;
using geometry::Region;
using inspect::Outcome;
using inspect::Verdict;

namespace
{
std::vector<Point> part(const Pose& pose, double scale = 1)
{
    std::vector<Point> out{{-60, -40}, {60, -40}, {60, -10}, {-20, -10}, {-20, 40}, {-60, 40}};
    for (Point& p : out) p = pose.toPicture(p * scale);
    return out;
}
Step& last(Recipe& r) { return r.steps.back(); }
// A part taught on a reference of its own, with a width across its long bar.
Recipe taught(const std::function<void(Step&)>& edit = [](Step&) {})
{
    Recipe r;
    r.reference = *makeAsset("reference.png", *image::encodePng(draw({part({{100, 90}, 0})}, 200, 180)), "");
    chain(r, "pattern", "datum", [&](Step& s) {
        s.letter = "A";
        s.regions["part"] = Region::rectangle({100, 90}, 150, 110);
        s.checks.front().limits.low = 0.65;
        edit(s);
    });
    chain(r, "edge_pair", "width", [](Step& s) {
        s.datum = "datum";
        s.regions["window"] = Region::window({30, 66}, {170, 66}, 9);
        s.checks.front().limits = *parseLimits("120 +-1", base::Unit::Pixel);
    });
    return r;
}
image::Image scene(const std::vector<Pose>& at, double scale = 1)
{
    std::vector<std::vector<Point>> all;
    for (const Pose& p : at) all.push_back(part(p, scale));
    return draw(all, 900, 700);
}
const std::vector<Pose> kSix{{{120, 110}, 0.3}, {{400, 120}, 2.0}, {{700, 130}, -1},
                             {{150, 450}, 1},   {{430, 480}, -2},  {{720, 500}, 0.1}};
Recipe discs(int most = 1000)
{
    Recipe r;
    chain(r, "blobs", "discs", [&](Step& s) {
        put(s, "objects", std::string("dark"));
        put(s, "mode", std::string("fixed"));
        put(s, "low", 0.0), put(s, "high", 120.0);
        put(s, "most_objects", std::int64_t(most));
        Check c;
        c.output = "areas", c.name = "Size";
        c.limits = *parseLimits("<= 400", base::Unit::SquarePixel);
        s.checks = {c};
    });
    return r;
}
image::Image row(int n, double radius = 8)
{
    std::vector<std::vector<Point>> all;
    for (int i = 0; i < n; ++i) all.push_back(demo::circleOutline({40.0 + 40 * i, 60}, radius));
    return draw(all, 80 + 40 * std::max(1, n), 120, {}, 1);
}
} // namespace

class TruthTest : public QObject
{
    Q_OBJECT
private slots:
    void whatJudgesNothingAcceptsNothing()
    {
        const auto none = runChain(Recipe{}, draw({}, 60, 60));
        QVERIFY(none.outcome() == Outcome::Unjudged && !none.accepted() && !none.rejected());
        QCOMPARE(none.items.front().sentence(), std::string("nothing was judged"));
        Recipe r = discs();
        last(r).checks.front().limits = {};
        QVERIFY(runChain(r, row(3)).outcome() == Outcome::Unjudged);
        // A rule that names nothing judged does not accept either; one that names a step without a check asks whether
        // it was found.
        r.rule = "[discs] == 1";
        QVERIFY(runChain(r, row(3)).outcome() == Outcome::Unjudged);
        last(r).checks.clear();
        QVERIFY(runChain(r, row(3)).outcome() == Outcome::Accept);
        last(r).checks = discs().steps.back().checks;
        QVERIFY(runChain(r, row(3)).outcome() == Outcome::Accept);
        // Said where a recipe is looked through.
        const auto findings = inspect::review(Recipe{}, {});
        QVERIFY(findings.size() == 1 && findings.front().text.find("nothing is judged") != std::string::npos);
        // A picture is as its worst item.
        inspect::PictureResult two;
        two.items.resize(2);
        two.items[0].outcome = Outcome::Accept, two.items[1].outcome = Outcome::Unjudged;
        QVERIFY(two.outcome() == Outcome::Unjudged);
        two.items[0].outcome = Outcome::Reject;
        QVERIFY(two.outcome() == Outcome::Reject);
        two.error = "cannot be read";
        QVERIFY(two.rejected());
    }
    void noObjectAndACutOffListNeverPass()
    {
        const auto whole = runChain(discs(), row(5));
        QVERIFY(whole.accepted());
        const auto blank = runChain(discs(), draw({}, 200, 120));
        QVERIFY(blank.rejected());
        QVERIFY(blank.items.front().checks.front().verdict == Verdict::NotMeasured);
        QVERIFY(blank.items.front().checks.front().reason.find("no object") == 0);
        // Three of five are listed: all of them pass, and still nothing is known of the others.
        const auto cut = runChain(discs(3), row(5));
        QVERIFY(cut.rejected() && cut.items.front().checks.front().verdict == Verdict::NotMeasured);
        QVERIFY2(cut.items.front().checks.front().reason.find("2 objects") != std::string::npos,
                 cut.items.front().checks.front().reason.c_str());
        // A listed one that fails is a fail.
        QVERIFY(runChain(discs(3), row(5, 14)).items.front().checks.front().verdict == Verdict::Fail);
        // What is reckoned from such a list is not measured, and neither is what picks from its end; the count counts
        // all.
        Recipe r = discs(3);
        chain(r, "formula", "least", [](Step& s) { put(s, "expression", std::string("minof([discs.areas])")); });
        chain(r, "distances", "each", [](Step& s) { s.inputs["each"] = "discs", s.checks.front().limits.low = 0; });
        chain(r, "element", "last", [](Step& s) { s.inputs["group"] = "discs", put(s, "number", std::int64_t(-1)); });
        const auto made = runChain(r, row(5));
        QCOMPARE(value(made, "discs", "count"), 5.0);
        QVERIFY(made.items.front().step("least")->reason.find("cut off") != std::string::npos);
        QVERIFY(made.items.front().step("last")->reason.find("cut off") != std::string::npos);
        for (const auto& c : made.items.front().checks)
            if (c.step == "each") QVERIFY(c.verdict == Verdict::NotMeasured);
    }
    void whatWasTakenAwayIsCounted()
    {
        Recipe r = discs();
        last(r).filters = {{"circularity", 0.8, {}}};
        put(last(r), "least_area", 60.0), put(last(r), "most_area", 500.0);
        const auto result = runChain(
            r, draw({demo::circleOutline({40, 60}, 8), demo::circleOutline({0, 60}, 8),
                     demo::circleOutline({90, 60}, 3), demo::circleOutline({140, 60}, 16), box(180, 50, 220, 58)},
                    260, 120, {}, 1));
        QCOMPARE(value(result, "discs", "count"), 1.0);
        QCOMPARE(value(result, "discs", "left_at_border"), 1.0);
        QCOMPARE(value(result, "discs", "left_by_size"), 2.0);
        QCOMPARE(value(result, "discs", "left_by_filters"), 1.0);
        QCOMPARE(result.items.front().steps.back()->note,
                 std::string("left out: 1 at the border, 1 too small, 1 too large, 1 by filters"));
    }
    void hueAndChromaAreThoseOfTheColours()
    {
        // Red, green and blue of sRGB and a grey on black; figures of CIE L*a*b* (D65) as published.
        const auto picture = [](image::PixelFormat format) {
            image::Image p(200, 60, format);
            const int n = image::channels(format);
            const std::uint8_t colours[4][3] = {{255, 0, 0}, {0, 255, 0}, {0, 0, 255}, {180, 180, 180}};
            for (int y = 0; y < 60; ++y)
                for (int x = 0; x < 200; ++x)
                    for (int c = 0; c < n; ++c) {
                        const bool in = x % 50 >= 10 && x % 50 < 40 && y >= 15 && y < 45;
                        reinterpret_cast<std::uint8_t*>(p.row(y))[n * x + c] =
                            in ? (n == 3 ? colours[x / 50][c] : 200) : 0;
                    }
            return p;
        };
        Recipe r;
        chain(r, "blobs", "spots",
              [](Step& s) { put(s, "mode", std::string("fixed")), put(s, "low", 5.0), s.checks.clear(); });
        const auto made = runChain(r, picture(image::PixelFormat::Colour8));
        const auto listed = [&](const char* output) {
            for (const auto& o : made.items.front().step("spots")->outputs)
                if (o.name == output) return o.values;
            return std::vector<double>();
        };
        const auto hues = listed("hue"), chromas = listed("chroma");
        QCOMPARE(chromas.size(), hues.size());
        QCOMPARE(hues.size(), std::size_t(4));
        const double wanted[3][2] = {{40.0, 104.6}, {136.0, 119.8}, {306.3, 133.8}};
        for (std::size_t i = 0; i < 3; ++i)
            QVERIFY2(std::abs(hues[i] - wanted[i][0]) < 0.5 && std::abs(chromas[i] - wanted[i][1]) < 1,
                     qPrintable(QString("%1: %2 %3").arg(i).arg(hues[i]).arg(chromas[i])));
        QVERIFY(chromas[3] < 0.1);
        last(r).filters = {{"hue", 20.0, 60.0}};
        QCOMPARE(value(runChain(r, picture(image::PixelFormat::Colour8)), "spots", "count"), 1.0);
        // Without colour nothing is known of hues: "no red spot" would pass on any grey picture.
        Check none;
        none.output = "count", none.name = "Red spots", none.limits = *parseLimits("<= 0", base::Unit::None);
        last(r).checks = {none};
        const auto grey = runChain(r, picture(image::PixelFormat::Grey8));
        QVERIFY(grey.rejected() && state(grey, "spots") == inspect::State::Failed);
        QVERIFY(grey.items.front().step("spots")->reason.find("colour picture") != std::string::npos);
    }
    void partsBeyondTheWantedOnesAreRejectedByName()
    {
        for (const bool expected : {false, true}) {
            const Recipe r = taught([&](Step& s) { put(s, expected ? "expected" : "finds", std::int64_t(3)); });
            const auto result = runChain(r, scene(kSix));
            QCOMPARE(int(result.items.size()), 6);
            int accepted = 0, surplus = 0;
            for (const auto& item : result.items) {
                accepted += item.accepted();
                if (!item.step("datum")->surplus) continue;
                ++surplus;
                QVERIFY(item.rejected() && item.pose);
                QVERIFY2(item.sentence().find("surplus part: 6 are in the picture, 3 wanted") != std::string::npos,
                         item.sentence().c_str());
                QVERIFY(item.step("width")->state == inspect::State::NotRun); // not inspected, and no stale value
            }
            QCOMPARE(accepted, 3);
            QCOMPARE(surplus, 3);
            QVERIFY(result.rejected());
            QCOMPARE(value(result, "datum", "finds"), 6.0);
            // Taken over from an earlier answer it is the same.
            const auto prepared = inspect::Prepared::make(r);
            const auto capture = captureOf(scene(kSix));
            const auto first = inspect::evaluate(*prepared, capture),
                       again = inspect::evaluate(*prepared, capture, &first);
            QVERIFY(inspect::complete(*prepared, first));
            for (std::size_t i = 0; i < 6; ++i) QVERIFY(first.items[i].outcome == again.items[i].outcome);
        }
        // Any number: each is an item.
        const auto any = runChain(taught([](Step& s) { put(s, "finds", std::int64_t(0)); }), scene(kSix));
        QVERIFY(any.items.size() == 6 && any.accepted());
        // No rule makes a surplus part good.
        Recipe r = taught();
        r.rule = "[width] == 1 or [width] == 0";
        QVERIFY(runChain(r, scene(kSix)).rejected());
    }
    void anAbsentPartIsAFaultAndWhatFollowsItIsNotMeasured()
    {
        const auto empty = runChain(taught(), draw({}, 300, 200));
        QCOMPARE(int(empty.items.size()), 1);
        QVERIFY(empty.items.front().checks[0].verdict == Verdict::Fail &&
                empty.items.front().checks[0].valueText() == "missing");
        QVERIFY(empty.items.front().checks[1].verdict == Verdict::NotMeasured);
        const auto lost =
            runChain(taught([](Step& s) { put(s, "expected", std::int64_t(3)); }), scene({kSix[0], kSix[1]}));
        QCOMPARE(int(lost.items.size()), 3);
        QVERIFY(lost.items[2].checks[0].verdict == Verdict::Fail &&
                lost.items[2].checks[1].verdict == Verdict::NotMeasured);
        // Not taught is no fault of the part.
        Recipe blind = taught();
        blind.reference = {};
        QVERIFY(runChain(blind, scene(kSix)).items.front().checks[0].verdict == Verdict::NotMeasured);
    }

    // ---- locating
    void theSearchDoesNotDependOnWhatIsWanted()
    {
        // A round part among like ones, an end hidden by a flat patch: found or not, but never because few are wanted.
        for (const double hidden : {0.10, 0.20, 0.26}) {
            std::vector<int> found;
            for (const int most : {1, 3, 50}) {
                Recipe r;
                r.reference = *makeAsset("r.png",
                                         *image::encodePng(draw({demo::circleOutline({120, 120}, 70)}, 240, 240,
                                                                {demo::circleOutline({120, 120}, 26)})),
                                         "");
                chain(r, "pattern", "datum", [&](Step& s) {
                    s.regions["part"] = Region::rectangle({120, 120}, 180, 180);
                    put(s, "finds", std::int64_t(most));
                });
                image::Image picture = draw({demo::circleOutline({110, 110}, 70), demo::circleOutline({300, 120}, 70),
                                             demo::circleOutline({490, 110}, 70)},
                                            620, 260,
                                            {demo::circleOutline({110, 110}, 26), demo::circleOutline({300, 120}, 26),
                                             demo::circleOutline({490, 110}, 26)});
                for (int y = 0; y < picture.height(); ++y) // flat, as bright as nothing else
                    for (int x = 300 + int(70 - 140 * hidden); x < 400; ++x) picture.row(y)[x] = 120;
                const auto result = runChain(r, std::move(picture));
                int n = 0;
                for (const auto& item : result.items) n += item.step("datum")->state == inspect::State::Ok;
                found.push_back(n);
            }
            QCOMPARE(found[0], 3);
            QCOMPARE(found[1], 3);
            QCOMPARE(found[2], 3);
        }
    }
    void aLowerLeastScoreNeverLosesABetterFind()
    {
        const auto picture = [&] { return scene({kSix[0], kSix[4]}); };
        double before = 0;
        for (const double least : {0.9, 0.65, 0.4, 0.3, 0.2}) {
            const double best = value(
                runChain(taught([&](Step& s) { put(s, "least_score", least), put(s, "order", std::string("score")); }),
                         picture()),
                "datum", "score");
            if (before > 0) QVERIFY2(best >= before - 1e-12, qPrintable(QString::number(best)));
            before = best;
        }
    }
    // A plate that looks much alike when turned round: a scale range, and something that hides a side, must not lead to
    // the wrong way round.
    void aPlateNearlyTheSameTurnedRoundKeepsItsWay()
    {
        const auto plate = [](const Pose& pose, std::vector<std::vector<Point>>& dark,
                              std::vector<std::vector<Point>>& holes) {
            std::vector<Point> outline{{-205, -95}, {205, -95}, {205, 46}, {185, 46},
                                       {185, 74},   {205, 74},  {205, 95}, {-205, 95}};
            for (Point& p : outline) p = pose.toPicture(p);
            dark.push_back(outline);
            const double radii[]{9, 11.25, 13.5, 10.2, 9.6, 12.3, 8.4, 14.1};
            for (int i = 0; i < 8; ++i)
                holes.push_back(
                    demo::circleOutline(pose.toPicture({-150.0 + 100 * (i % 4), i < 4 ? -45.0 : 45.0}), radii[i]));
        };
        std::vector<std::vector<Point>> dark, holes;
        plate({{300, 200}, 0}, dark, holes);
        Recipe r;
        r.reference = *makeAsset("reference.png", *image::encodePng(draw(dark, 600, 400, holes)), "");
        chain(r, "pattern", "datum", [&](Step& s) {
            s.letter = "A";
            s.regions["part"] = Region::rectangle({300, 200}, 450, 230);
            put(s, "least_score", 0.6);
            put(s, "scale_range", 30.0);
        });
        for (const int n : {3, 184, 194, 201, 203, 258, 266, 269, 272, 286, 288, 291}) {
            const Pose truth{{450 + 0.31 * n, 350 - 0.27 * n}, geometry::radians(12.0 * (n % 30) + n)};
            dark.clear();
            holes.clear();
            plate(truth, dark, holes);
            // Striped, so that neither light nor dark edges are spared.
            for (int k = 0; k < 9 + n % 7; ++k) {
                std::vector<Point> stripe = box(20 + 12.3 * k, -130 + 60 * (n % 3), 27 + 12.3 * k, 10 + 60 * (n % 3));
                for (Point& p : stripe) p = Pose{truth.origin, 0.3 * n}.toPicture(p);
                (k % 2 ? dark : holes).push_back(stripe);
            }
            const auto result = runChain(r, draw(dark, 900, 700, holes));
            QVERIFY2(state(result, "datum") == inspect::State::Ok, qPrintable(QString::number(n)));
            const double off = geometry::wrapped(geometry::radians(value(result, "datum", "angle")) - truth.angle);
            QVERIFY2(std::abs(off) < 0.01, qPrintable(QString("%1: %2° off").arg(n).arg(geometry::degrees(off))));
        }
    }
    // What need not be followed changes nothing in what is said: wanted finds and surplus are the same as when all is
    // followed.
    void whatLiesOnAWantedFindIsNotMissed()
    {
        const auto reference = draw({part({{100, 90}, 0})}, 200, 180);
        const auto model =
            *vision::teachPattern(reference.grey(), Region::rectangle({100, 90}, 150, 110), {{100, 90}, 0}, 10);
        demo::Random random(4);
        std::size_t surplus = 0;
        for (int n = 0; n < 40; ++n) {
            std::vector<Pose> at;
            for (int i = 0, parts = 1 + random.below(5); i < parts; ++i) {
                // Some lie half on each other.
                const Point near = i > 0 && random.below(2)
                                       ? at.back().origin + Point{random.uniform(-90, 90), random.uniform(-90, 90)}
                                       : Point{random.uniform(120, 780), random.uniform(120, 580)};
                at.push_back({near, random.uniform(-3, 3)});
            }
            const auto picture = scene(at);
            for (const int wanted : {1, 2}) {
                vision::PatternOptions o;
                o.leastScore = 0.5;
                o.most = 1000;
                const auto kept = [&](const vision::PatternOptions& options) {
                    auto finds = vision::findPattern(picture.grey(), model, Region::whole(), options);
                    std::vector<vision::PatternFind> out;
                    for (std::size_t i = 0; i < finds.size(); ++i) {
                        bool on = false;
                        for (std::size_t k = 0; k < std::min(i, std::size_t(wanted)); ++k)
                            on = on || (i >= std::size_t(wanted) &&
                                        vision::overlap(model, finds[i].pose, 1, finds[k].pose, 1) > 0.4);
                        if (!on) out.push_back(finds[i]);
                    }
                    return out;
                };
                const auto all = kept(o);
                o.wanted = wanted;
                const auto few = kept(o);
                QCOMPARE(few.size(), all.size());
                for (std::size_t i = 0; i < all.size(); ++i)
                    QVERIFY2(few[i].score == all[i].score && few[i].pose.origin == all[i].pose.origin &&
                                 few[i].pose.angle == all[i].pose.angle,
                             qPrintable(QString::number(n)));
                surplus += all.size() > std::size_t(wanted);
            }
        }
        QVERIFY(surplus > 20);
    }
    void aSmallSearchAreaIsSearchedAsFinelyAsItNeeds()
    {
        for (int n = 0; n < 16; ++n) {
            const Pose truth{{400 + 3.7 * n, 300 + 2.3 * n}, 0.4 * n};
            // The middle of what is seen of the part lies here.
            const Point middle = truth.toPicture({0, 0});
            const auto result = runChain(taught([&](Step& s) { s.regions["search"] = Region::circle(middle, 5); }),
                                         scene({truth, {{150, 150}, 1}}));
            QVERIFY2(state(result, "datum") == inspect::State::Ok, qPrintable(QString::number(n)));
            QVERIFY(std::abs(value(result, "datum", "x") - truth.toPicture({0, 0}).x) < 0.1);
        }
        const auto beside = runChain(taught([&](Step& s) {
                                         s.regions["search"] = Region::circle({400, 300}, 5);
                                     }),
                                     scene({{{420, 300}, 1}}));
        QVERIFY(state(beside, "datum") == inspect::State::Failed);
    }
    void aRangeThatIsTooSmallIsSaid()
    {
        const auto turned = runChain(taught([](Step& s) { put(s, "angle_range", 20.0); }),
                                     scene({{{400, 300}, geometry::radians(35)}}));
        QVERIFY(state(turned, "datum") == inspect::State::Failed);
        const std::string why = turned.items.front().step("datum")->reason;
        QVERIFY2(why.find("turned by 35°: outside the angle range of ± 20°") != std::string::npos, why.c_str());
        const auto away = runChain(taught([](Step& s) {
                                       s.regions["search"] = Region::rectangle({200, 200}, 100, 100);
                                   }),
                                   scene({{{600, 500}, 1}}));
        QVERIFY(away.items.front().step("datum")->reason.find("outside the search area") != std::string::npos);
        const auto none = runChain(taught([](Step& s) { put(s, "angle_range", 20.0); }), draw({}, 300, 200));
        QVERIFY(none.items.front().step("datum")->reason.find(";") == std::string::npos);
    }
    void stepsFollowTheScaleOfTheirDatum()
    {
        for (const double scale : {0.8, 1.08, 1.4}) {
            Recipe r = taught([](Step& s) { put(s, "scale_range", 45.0); });
            chain(r, "line", "edge", [](Step& s) {
                s.datum = "datum";
                s.regions["window"] = Region::window({55, 50}, {145, 50}, 20);
            });
            chain(r, "farthest", "burr", [](Step& s) { s.datum = "datum", s.inputs["of"] = "edge"; });
            chain(r, "blobs", "count", [](Step& s) {
                s.datum = "datum";
                put(s, "objects", std::string("dark"));
                s.regions["region"] = Region::rectangle({100, 90}, 140, 100);
                s.places = {{"middle", {82.9, 80}}};
                put(s, "place_reach", 6.0), put(s, "least_area", 3000.0);
            });
            const Pose truth{{430, 340}, 0.7};
            const auto result = runChain(r, scene({truth}, scale));
            QVERIFY2(state(result, "width") == inspect::State::Ok, result.items.front().step("width")->reason.c_str());
            QVERIFY(std::abs(value(result, "datum", "scale") - scale) < 0.003);
            QVERIFY2(std::abs(value(result, "width", "distance") - 120 * scale) < 0.3,
                     qPrintable(QString::number(value(result, "width", "distance"))));
            QVERIFY(std::abs(value(result, "edge", "length") - 90 * scale) < 4 * scale);
            QCOMPARE(value(result, "count", "count"), 1.0);
            QCOMPARE(value(result, "count", "missing"), 0.0);
            // The region that is drawn is the one that is looked at.
            bool placed = false;
            const auto regions = inspect::Placing(r, &result.items.front()).regions(r.steps[1], placed);
            QVERIFY(std::abs(geometry::distance(regions.at("window").from, regions.at("window").to) - 140 * scale) <
                        0.5 &&
                    std::abs(regions.at("window").width - 9 * scale) < 0.05);
        }
    }

    // ---- measuring and selecting
    void anEdgePairIsAnyTwoNumbers()
    {
        // edges 40 60 90 130 170 180
        const auto bars = [] {
            return draw({box(40, 40, 60, 80), box(90, 40, 130, 80), box(170, 40, 180, 80)}, 240, 120, {}, 0.5);
        };
        const auto pair = [&](int a, const char* fromA, int b, const char* fromB) {
            return runStep("edge_pair", bars(), [&](Step& s) {
                s.regions["window"] = Region::window({10, 60}, {230, 60}, 9);
                put(s, "rule", std::string("numbered"));
                put(s, "first_number", std::int64_t(a)), put(s, "first_from", std::string(fromA));
                put(s, "last_number", std::int64_t(b)), put(s, "last_from", std::string(fromB));
            });
        };
        QVERIFY(std::abs(value(pair(1, "start", 2, "start"), "distance") - 20) < 0.05);
        QVERIFY(std::abs(value(pair(2, "end", 1, "end"), "distance") - 10) < 0.05);
        QVERIFY(std::abs(value(pair(1, "end", 3, "start"), "distance") - 90) < 0.05); // whichever is named first
        QVERIFY(std::abs(value(pair(2, "start", 3, "end"), "distance") - 70) < 0.05);
        QVERIFY(reason(pair(7, "start", 1, "end")).find("edge 7 from the start is not there; 6 were found") == 0);
        QVERIFY(reason(pair(6, "start", 1, "end")).find("the same edge") != std::string::npos);
    }
    void anArcIsAnArc()
    {
        // The upper part of a disc whose lower part carries a lug: off the arc there is no burr.
        const auto picture = [] {
            return draw({demo::circleOutline({200, 200}, 100), box(180, 290, 220, 316)}, 400, 400, {}, 1);
        };
        const auto measured = [&](bool arc, const char* kind) {
            Recipe r;
            chain(r, "circle", "round", [&](Step& s) {
                s.regions["ring"] =
                    arc ? Region::arc({200, 200}, 80, 120, geometry::radians(20), geometry::radians(140))
                        : Region::ring({200, 200}, 80, 120);
            });
            chain(r, kind, "form", [](Step& s) {
                s.inputs["of"] = "round";
                put(s, "reach", 30.0);
            });
            return runChain(r, picture());
        };
        QVERIFY(value(measured(true, "farthest"), "form", "size") < 0.5);
        QVERIFY(value(measured(false, "farthest"), "form", "size") > 10);
        QVERIFY(value(measured(true, "roundness"), "form", "zone") < 0.5);
        QVERIFY(value(measured(false, "roundness"), "form", "zone") > 5);
    }
    void theShareIsWhatLiesWithinReach()
    {
        // A zigzag whose edge points lie up to 6 px off any line: most fit nothing, and all of them used to count.
        std::vector<Point> zigzag{{20, 200}, {20, 100}};
        demo::Random random(21);
        for (int i = 0; i <= 36; ++i) zigzag.push_back({20.0 + 10 * i, 100 + random.uniform(-7, 7)});
        zigzag.push_back({380, 200});
        const auto line = [&](double reach, double least) {
            return runStep("line", draw({zigzag}, 400, 240, {}, 1), [&](Step& s) {
                s.regions["window"] = Region::window({40, 100}, {360, 100}, 40);
                put(s, "reach", reach), put(s, "least_share", least);
            });
        };
        QVERIFY2(reason(line(0.5, 50)).find("within 0.50 px; 50 % are asked") != std::string::npos,
                 reason(line(0.5, 50)).c_str());
        const auto told = line(0.5, 5);
        QVERIFY(value(told, "share") < 40 && value(told, "farthest") > 3);
        const auto straight = runStep("line", draw({box(20, 100, 380, 200)}, 400, 240, {}, 1), [](Step& s) {
            s.regions["window"] = Region::window({40, 100}, {360, 100}, 40);
        });
        QVERIFY(value(straight, "share") > 99 && value(straight, "farthest") < 0.3);
    }
    void holesAndNetAreaWhateverIsFilled()
    {
        const auto picture = [] {
            return draw({box(20, 20, 100, 100), box(120, 20, 200, 100)}, 220, 120,
                        {demo::circleOutline({45, 45}, 10), demo::circleOutline({75, 75}, 10)}, 1);
        };
        for (const bool fill : {true, false}) {
            const auto r = runStep("blobs", picture(), [&](Step& s) {
                put(s, "objects", std::string("dark"));
                put(s, "fill_holes", fill);
            });
            const auto* step = r.items.front().steps.back().get();
            QCOMPARE(step->output("holes")->values, (std::vector<double>{2, 0}));
            QVERIFY(std::abs(step->output("full_area")->values[0] - step->output("net_area")->values[0] -
                             2 * geometry::kPi * 100) < 30);
            // the threshold lies on the bright side of the blurred border
            QVERIFY(std::abs(step->output("full_area")->values[0] - 6400) < 160);
            QCOMPARE(step->output("areas")->values[0], step->output(fill ? "full_area" : "net_area")->values[0]);
            QVERIFY(std::abs(step->output("feret_most")->values[1] - 80 * std::sqrt(2.0)) < 2.5 &&
                    std::abs(step->output("feret_least")->values[1] - 80) < 2);
            QVERIFY(std::abs(step->output("equal_diameter")->values[1] - std::sqrt(4 * 6400 / geometry::kPi)) < 1.2);
        }
        const auto turned = runStep("blobs",
                                    draw({[] {
                                             std::vector<Point> p = box(-50, -10, 50, 10);
                                             for (Point& q : p) q = Pose{{110, 80}, geometry::radians(25)}.toPicture(q);
                                             return p;
                                         }()},
                                         220, 160, {}, 1),
                                    [](Step& s) { put(s, "objects", std::string("dark")); });
        QVERIFY(std::abs(value(turned, "moment_angle") - 25) < 0.3);
    }
    void theLocalThresholdSeesNoObjectsAtTheBorder()
    {
        // Light that falls off to the border: no pixel differs from its own surroundings.
        image::Image slope(300, 200, image::PixelFormat::Grey8);
        for (int y = 0; y < 200; ++y)
            for (int x = 0; x < 300; ++x) slope.row(y)[x] = std::uint8_t(40 + 0.6 * x);
        for (const bool bright : {true, false}) {
            const image::Image mask = vision::localThreshold(slope.grey(), 25, 8, bright);
            // By hand with the picture mirrored about its border pixels.
            const auto mirrored = [](int i, int n) { return i < 0 ? -i : i >= n ? 2 * (n - 1) - i : i; };
            for (const int y : {0, 7, 100, 199})
                for (int x = 0; x < 300; x += 7) {
                    double sum = 0;
                    for (int j = -25; j <= 25; ++j)
                        for (int i = -25; i <= 25; ++i) sum += slope.row(mirrored(y + j, 200))[mirrored(x + i, 300)];
                    const double off = slope.row(y)[x] - sum / (51.0 * 51);
                    QCOMPARE(int(mask.row(y)[x]), (bright ? off > 8 : off < -8) ? 255 : 0);
                }
        }
        // The offset may grow with the contrast of the window: a faint spot on a quiet ground, no texture on a busy
        // one.
        demo::Random random(3);
        image::Image busy(200, 100, image::PixelFormat::Grey8);
        for (int y = 0; y < 100; ++y)
            for (int x = 0; x < 200; ++x)
                busy.row(y)[x] = std::uint8_t(120 + (x < 100 ? random.normal(1, 3) : random.normal(15, 45)));
        for (int y = 40; y < 60; ++y)
            for (int x = 40; x < 60; ++x) busy.row(y)[x] = std::uint8_t(busy.row(y)[x] + 14);
        const auto count = [&](const image::Image& mask, int from, int to) {
            int n = 0;
            for (int y = 10; y < 90; ++y)
                for (int x = from; x < to; ++x) n += mask.row(y)[x] == 255;
            return n;
        };
        const image::Image plain = vision::localThreshold(busy.grey(), 20, 8, true),
                           grown = vision::localThreshold(busy.grey(), 20, 8, true, 4);
        QVERIFY(count(plain, 110, 190) > 1000 && count(grown, 110, 190) == 0 && count(grown, 40, 60) >= 0);
        const image::Image quiet = vision::localThreshold(busy.grey(), 20, 8, true, 1.5);
        QVERIFY(count(quiet, 40, 60) > 300);
    }
    void theThresholdWorkedOutOnceSeesWhatIsJudged()
    {
        // Light falls to a third from left to right; the part stands in the dark half.
        const auto lit = [](bool withPart) {
            image::Image p(300, 200, image::PixelFormat::Grey8);
            for (int y = 0; y < 200; ++y)
                for (int x = 0; x < 300; ++x) {
                    const double light = 240 - 160.0 * x / 300,
                                 share = withPart && x > 180 && x < 260 && y > 60 && y < 140 ? 0.55 : 1;
                    p.row(y)[x] = std::uint8_t(light * share);
                }
            return p;
        };
        Recipe r;
        r.reference = *makeAsset("r.png", *image::encodePng(lit(true)), "");
        r.empty = *makeAsset("e.png", *image::encodePng(lit(false)), "");
        chain(r, "blobs", "part", [](Step& s) {
            put(s, "objects", std::string("dark"));
            put(s, "once", true), put(s, "shading", true);
        });
        const auto prepared = inspect::Prepared::make(r);
        const auto capture = captureOf(lit(true));
        const auto once = inspect::evaluate(*prepared, capture);
        Recipe each = r;
        put(each.steps.back(), "once", false);
        const auto fresh = runChain(each, lit(true));
        QCOMPARE(value(once, "part", "threshold"), value(fresh, "part", "threshold"));
        QCOMPARE(value(once, "part", "count"), 1.0);
        QVERIFY(std::abs(value(once, "part", "total_area") - 79 * 79) < 200);
        // The histogram is of the same picture: two peaks, nothing between.
        const auto e = inspect::evidence(*prepared, capture, once.items.front(), "part");
        QVERIFY(e);
        double between = 0, all = 0;
        const double t = value(once, "part", "threshold");
        for (std::size_t i = 0; i < e->curves[0].x.size(); ++i)
            all += e->curves[0].y[i], between += std::abs(e->curves[0].x[i] - t) < 12 ? e->curves[0].y[i] : 0;
        QVERIFY2(between < 0.01 * all, qPrintable(QString::number(between / all)));
    }
    void grey16IsMeasuredAtFullDepth()
    {
        image::Image p(100, 80, image::PixelFormat::Grey16);
        for (int y = 0; y < 80; ++y)
            // 100.996 and a little more
            for (int x = 0; x < 100; ++x)
                reinterpret_cast<std::uint16_t*>(p.row(y))[x] = std::uint16_t(25956 + (x + y) % 2);
        const auto r = runStep("area_share", std::move(p), [](Step& s) { put(s, "mode", std::string("fixed")); });
        QVERIFY(std::abs(value(r, "grey_mean") - 25956.5 / 257) < 1e-9);
        QVERIFY(std::abs(value(r, "grey_spread") - 0.5 / 257) < 1e-9);
    }
    void rangesInsideOutGroundsAndSmoothing()
    {
        // Bright and dark discs on grey: outside of the middle range both are taken.
        const auto picture = [] {
            image::Image p = draw({demo::circleOutline({60, 60}, 20)}, 260, 120, {}, 2);
            for (int y = 0; y < 120; ++y)
                for (int x = 0; x < 260; ++x) {
                    p.row(y)[x] = std::uint8_t(p.row(y)[x] * 0.6);
                    if (std::hypot(x - 180, y - 60) < 20) p.row(y)[x] = 240;
                }
            return p;
        };
        const auto both = runStep("blobs", picture(), [](Step& s) {
            put(s, "mode", std::string("fixed")), put(s, "low", 70.0), put(s, "high", 180.0), put(s, "outside", true);
        });
        QCOMPARE(value(both, "count"), 2.0);
        // Spots on a slope of light steeper than they are bright: by the plane, and by what narrower objects leave.
        const auto slope = [] {
            demo::Random random(4);
            image::Image p(400, 200, image::PixelFormat::Grey8);
            for (int y = 0; y < 200; ++y)
                for (int x = 0; x < 400; ++x) {
                    double l = 40 + 0.4 * x + random.normal(2, 6);
                    for (int k = 0; k < 4; ++k) l += std::hypot(x - (60 + 90 * k), y - 100) < 12 ? 30 : 0;
                    p.row(y)[x] = std::uint8_t(std::clamp(l, 0.0, 255.0));
                }
            return p;
        };
        for (const char* way : {"plane", "opening"}) {
            const auto found = runStep("blobs", slope(), [&](Step& s) {
                put(s, "background", std::string(way)), put(s, "background_size", std::int64_t(41));
                put(s, "least_area", 200.0);
            });
            QVERIFY2(value(found, "count") == 4, way);
            QVERIFY(std::abs(value(found, "total_area") - 4 * geometry::kPi * 144) < 300);
        }
        // Salt in the picture: the median takes it, and borders stay where they are.
        const auto salted = [] {
            image::Image p = draw({box(40, 30, 120, 90)}, 160, 120, {}, 1);
            demo::Random random(8);
            for (int i = 0; i < 900; ++i)
                p.row(random.below(120))[random.below(160)] = std::uint8_t(random.below(2) * 255);
            return p;
        };
        const auto smooth = [&](const char* how) {
            return runStep("blobs", salted(), [&](Step& s) {
                put(s, "objects", std::string("dark")), put(s, "fill_holes", false), put(s, "least_area", 1.0);
                put(s, "smooth", std::string(how)), put(s, "smooth_size", std::int64_t(5));
            });
        };
        QVERIFY(value(smooth("none"), "count") > 20);
        QCOMPARE(value(smooth("median"), "count"), 1.0);
        QVERIFY(std::abs(value(smooth("median"), "areas") - 80 * 60) < 160);
    }
    void medianAndGaussianAreThoseByHand()
    {
        demo::Random random(6);
        for (const bool wide : {false, true}) {
            image::Image p(37, 23, wide ? image::PixelFormat::Grey16 : image::PixelFormat::Grey8);
            for (int y = 0; y < 23; ++y)
                for (int x = 0; x < 37; ++x) {
                    const int v = random.below(wide ? 65536 : 256);
                    if (wide) reinterpret_cast<std::uint16_t*>(p.row(y))[x] = std::uint16_t(v);
                    else p.row(y)[x] = std::uint8_t(v);
                }
            const image::Image m = vision::medianOf(p.grey(), 5);
            const auto mirrored = [](int i, int n) { return i < 0 ? -i : i >= n ? 2 * (n - 1) - i : i; };
            for (int y = 0; y < 23; ++y)
                for (int x = 0; x < 37; ++x) {
                    std::vector<double> all;
                    for (int j = -2; j <= 2; ++j)
                        for (int i = -2; i <= 2; ++i)
                            all.push_back(p.grey().levelAt(mirrored(x + i, 37), mirrored(y + j, 23)));
                    std::sort(all.begin(), all.end());
                    QCOMPARE(m.grey().levelAt(x, y), all[12]);
                }
        }
        // A Gaussian keeps the mean of an even picture and halves what alternates.
        image::Image even(60, 40, image::PixelFormat::Grey8);
        for (int y = 0; y < 40; ++y)
            for (int x = 0; x < 60; ++x) even.row(y)[x] = std::uint8_t(100 + (x % 2) * 50);
        const image::Image g = vision::gaussianOf(even.grey(), 2);
        for (int x = 0; x < 60; ++x) QVERIFY(std::abs(int(g.row(20)[x]) - 125) <= 1);
    }

    // ---- formulas
    void formulasReckonWithLists()
    {
        const std::map<std::string, NamedValue> v{{"a", {base::Unit::None, true, {1, 2, 3}}},
                                                  {"b", {base::Unit::None, true, {10, 20, 30}}},
                                                  {"c", {base::Unit::None, true, {1, 2}}},
                                                  {"x", {base::Unit::None, false, {7}}}};
        const auto is = [&](const std::string& text, double wanted) {
            const auto got = evaluateFormula(text, v);
            QVERIFY2(got, got ? "" : (text + ": " + got.error().message).c_str());
            QVERIFY2(std::abs(*got - wanted) < 1e-12, (text + " gave " + std::to_string(*got)).c_str());
        };
        is("sum([a] * [b])", 140);
        is("maxof([b] - [a])", 27);
        is("maxof(abs([a] - mean([a])))", 1);
        is("countabove([b] / [a] + [x], 16)", 3);
        is("countabove([a] * 2, [x] - 2)", 1);
        is("sum([a]) + mean([b] - [a] * 10) * 2", 6);
        is("element([a] + [b], 2)", 22);
        const auto uneven = evaluateFormula("sum([a] + [c])", v);
        QVERIFY(!uneven && uneven.error().message.find("lists of 3 and of 2 values") != std::string::npos);
        const auto bare = evaluateFormula("[a] * 2", v);
        QVERIFY(!bare && bare.error().message.find("is a list") != std::string::npos);
        const auto zero = evaluateFormula("sum([b] / ([a] - 2))", v);
        QVERIFY(!zero && zero.error().message == "division by zero");
    }
    void aDecimalCommaIsRefusedAtItsCharacter()
    {
        const std::map<std::string, NamedValue> v{{"w", {base::Unit::None, false, {26}}}};
        for (const auto& [text, at] : {std::pair{"[w] - 26,5", "at character 9:"},
                                       {"([w] - 26,5) * 2", "at character 10:"},
                                       {"1,5", "at character 2:"}}) {
            const auto got = evaluateFormula(text, v);
            QVERIFY2(!got && got.error().message.find(at) == 0 &&
                         got.error().message.find("comma") != std::string::npos,
                     text);
        }
        QCOMPARE(*evaluateFormula("min([w], 5)", v), 5.0);
        QCOMPARE(*evaluateFormula("max(1,2)", v), 2.0);
    }

    // ---- proposals
    void proposalsAreOneSidedWhereBetterHasNoEnd()
    {
        using Better = OutputSpec::Better;
        const auto score = inspect::proposeLimits({0.97, 0.98, 0.99}, {}, base::Unit::None, {Better::More, 0.0, 1.0});
        QVERIFY(score && score->limits.low && !score->limits.high);
        const auto burr =
            inspect::proposeLimits({0.03, 0.05, 0.06}, {0.30}, base::Unit::Millimetre, {Better::Less, 0.0, {}});
        QVERIFY(burr && !burr->limits.low && std::abs(*burr->limits.high - 0.18) < 1e-9); // the middle of the gap
        QCOMPARE(burr->badCaught, 1);
        // Nothing below what the value can be.
        const auto area =
            inspect::proposeLimits({100, 4000, 8000}, {}, base::Unit::SquarePixel, {Better::Within, 0.0, {}});
        QVERIFY(area && !area->limits.low && area->limits.high);
        const auto both = inspect::proposeLimits({10.0, 10.2}, {9.0, 11.6}, base::Unit::Millimetre);
        QVERIFY(both && std::abs(*both->limits.low - 9.5) < 1e-9 && std::abs(*both->limits.high - 10.9) < 1e-9);
        // Every kind says it of what has no end.
        for (const auto& [kind, output] : {std::pair{"farthest", "size"},
                                           {"straightness", "zone"},
                                           {"roundness", "zone"},
                                           {"parallelism", "zone"},
                                           {"perpendicularity", "zone"},
                                           {"position", "position"}})
            QVERIFY2(findKind(kind)->output(output)->better == Better::Less &&
                         findKind(kind)->output(output)->least == 0.0,
                     kind);
        for (const auto& [kind, output] : {std::pair{"pattern", "score"}, {"blobs", "circularity"}, {"line", "share"}})
            QVERIFY2(findKind(kind)->output(output)->better == Better::More, kind);
    }
};
QTEST_GUILESS_MAIN(TruthTest)
#include "truth_test.moc"
