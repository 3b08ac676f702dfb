// Every doubt is raised where it is due, and only there.
#include "inspect/review.h"
#include "support.h"

using namespace support;
using namespace recipe;
using inspect::Doubt;
using inspect::Finding;

namespace
{
image::Image plate(double wide, double left = 90) { return draw({box(left, 60, left + wide, 140)}, 300, 200, {}, 1); }

// A width in px with ample limits, fixed to the picture.
Recipe sound()
{
    Recipe r;
    r.name = "Plate";
    chain(r, "edge_pair", "width", [](Step& s) {
        s.name = "Width";
        s.regions["window"] = geometry::Region::window({20, 100}, {280, 100}, 21);
        s.checks.front().name = "Width";
        s.checks.front().limits = *parseLimits("120 +-2", base::Unit::Pixel);
    });
    return r;
}

struct Bench {
    Recipe recipe = sound();
    std::vector<inspect::PictureResult> results;

    void trial(image::Image picture, Label label)
    {
        recipe.trials.push_back({"trial-" + std::to_string(recipe.trials.size() + 1) + ".png", label});
        results.push_back(runChain(recipe, std::move(picture)));
    }
    // The same pictures' answers, judged by the recipe as it stands.
    std::vector<Finding> findings(double thin = 0.1)
    {
        std::vector<const inspect::PictureResult*> all;
        for (auto& r : results) inspect::judge(recipe, r), all.push_back(&r);
        return inspect::review(recipe, all, thin);
    }
    std::vector<Finding> of(Doubt d)
    {
        std::vector<Finding> out;
        for (const Finding& f : findings())
            if (f.doubt == d) out.push_back(f);
        return out;
    }
    Check& check() { return recipe.steps.front().checks.front(); }
};
Bench proved()
{
    Bench b;
    b.trial(plate(120), Label::Good), b.trial(plate(120.5), Label::Good), b.trial(plate(126), Label::Bad);
    return b;
}
} // namespace

class ReviewTest : public QObject
{
    Q_OBJECT
private slots:
    void aSoundRecipeLeavesOnlyItsMissingDatum()
    {
        Bench b = proved();
        const auto all = b.findings();
        QCOMPARE(int(all.size()), 1);
        QCOMPARE(all[0].doubt, Doubt::Fixed);
        QVERIFY(all[0].step.empty() && all[0].text.find("no datum") == 0);
        // A step that looks at the whole picture loses nothing when the part moves.
        b.recipe.steps.clear();
        chain(b.recipe, "blobs", "objects", [](Step& s) {
            s.regions.clear();
            s.checks.front().limits = *parseLimits("1", base::Unit::None);
        });
        QVERIFY(b.of(Doubt::Fixed).empty());
    }
    void aLimitInAnotherUnitComesFirst()
    {
        Bench b = proved();
        b.recipe = recalibrated(b.recipe, geometry::Calibration::factor(0.25, ""), false);
        b.results.clear();
        const auto trials = b.recipe.trials;
        b.recipe.trials.clear();
        b.trial(plate(120), Label::Good);
        const auto all = b.findings();
        QVERIFY(!all.empty());
        QCOMPARE(all.front().doubt, Doubt::Unit);
        QVERIFY2(all.front().text.find("in px") != std::string::npos &&
                     all.front().text.find("in mm") != std::string::npos,
                 all.front().text.c_str());
        QCOMPARE(all.front().remedy, std::string("convert the limit"));
        QCOMPARE(int(b.of(Doubt::Unit).size()), int(foreignLimits(b.recipe).size()));
        QVERIFY(b.of(Doubt::NotMeasured).empty()); // said once, not twice
        b.check() = convertedCheck(b.recipe, b.recipe.steps.front(), b.check());
        QVERIFY(b.of(Doubt::Unit).empty());
        // Without a calibration there is no way back.
        b.recipe.calibration = {};
        QCOMPARE(b.of(Doubt::Unit).at(0).remedy, std::string("calibrate, or type the limit anew"));
    }
    void aToleranceWithoutItsClassIsSaid()
    {
        Bench b = proved();
        b.recipe.calibration = geometry::Calibration::factor(0.25, "");
        b.check().limits = *parseLimits("30 ISO 2768", base::Unit::Millimetre);
        QCOMPARE(int(b.of(Doubt::Limits).size()), 1);
        QVERIFY(b.of(Doubt::Limits)[0].text.find("class") != std::string::npos);
        b.recipe.toleranceClass = ToleranceClass::M;
        QVERIFY(b.of(Doubt::Limits).empty());
    }
    void aStepThatStaysBehindIsNamed()
    {
        Bench b = proved();
        Step datum = makeStep(b.recipe, *findKind("blob_datum"));
        datum.id = "plate", datum.name = "Plate", datum.letter = "A";
        b.recipe.steps.insert(b.recipe.steps.begin(), datum);
        const auto fixed = b.of(Doubt::Fixed);
        QCOMPARE(int(fixed.size()), 1);
        QCOMPARE(fixed[0].step, std::string("width"));
        b.recipe.find("width")->datum = "plate";
        QVERIFY(b.of(Doubt::Fixed).empty());
        b.recipe.find("width")->datum.clear();
        b.recipe.find("width")->inUse = false;
        QVERIFY(b.of(Doubt::Fixed).empty());
    }
    void whatIsNotJudgedOrReadIsNamed()
    {
        Bench b = proved();
        b.check().limits = {};
        QCOMPARE(int(b.of(Doubt::Unjudged).size()), 1);
        QVERIFY(b.of(Doubt::Trials).at(0).text.find("no check has limits") == 0);
        // Without the check nothing is left to be said for the step …
        b.recipe.steps.front().checks.clear();
        QVERIFY(b.of(Doubt::Unjudged).empty());
        QCOMPARE(int(b.of(Doubt::Unread).size()), 1);
        // … until a total reads it.
        b.recipe.totals = {{"Width of all", "[width]", base::Unit::None}};
        QVERIFY(b.of(Doubt::Unread).empty());
    }
    void aRuleThatForgetsACheckIsSaid()
    {
        Bench b = proved();
        chain(b.recipe, "area_share", "dark",
              [](Step& s) { s.checks.front().limits = *parseLimits("10 .. 90", base::Unit::Percent); });
        b.recipe.rule = "[width]";
        const auto unread = b.of(Doubt::Unread);
        QCOMPARE(int(unread.size()), 1);
        QCOMPARE(unread[0].step, std::string("dark"));
        QVERIFY(unread[0].text.find("rule") != std::string::npos);
        b.recipe.rule = "[width] and [dark]";
        QVERIFY(b.of(Doubt::Unread).empty());
    }
    void aCheckNoBadTrialFailsIsUnproved()
    {
        Bench b = proved();
        QVERIFY(b.of(Doubt::NeverFails).empty());
        b.check().limits = *parseLimits("120 +-10", base::Unit::Pixel);
        QCOMPARE(int(b.of(Doubt::NeverFails).size()), 1);
        QVERIFY(b.of(Doubt::NeverFails)[0].text.find("the one bad trial") == 0);
        b.trial(plate(128), Label::Bad);
        QVERIFY(b.of(Doubt::NeverFails)[0].text.find("all 2 bad trials") == 0);
        // No bad trial at all is another question.
        for (Trial& t : b.recipe.trials) t.label = Label::Good;
        QVERIFY(b.of(Doubt::NeverFails).empty());
        QVERIFY(b.of(Doubt::Trials).at(0).text.find("no trial is labelled bad") == 0);
    }
    void aThinMarginNamesTheTrial()
    {
        Bench b = proved();
        b.trial(plate(121.9), Label::Good);
        auto thin = b.of(Doubt::ThinMargin);
        QCOMPARE(int(thin.size()), 1);
        QCOMPARE(thin[0].trial, 3);
        QVERIFY2(thin[0].text.find("trial 4 uses 9") != std::string::npos, thin[0].text.c_str());
        QVERIFY(std::none_of(b.results.begin(), b.results.end(),
                             [](const auto& r) { return r.items.front().checks.front().values.empty(); }));
        bool any = false;
        for (const Finding& f : b.findings(0.01)) any = any || f.doubt == Doubt::ThinMargin;
        QVERIFY(!any); // the person says what thin is
        // Exactly one is no margin at all, and none is missing.
        Bench count;
        count.recipe = Recipe();
        chain(count.recipe, "blobs", "objects", [](Step& s) {
            s.regions.clear();
            put(s, "objects", std::string("dark"));
            for (Check& c : s.checks)
                if (c.output == "count") c.limits = *parseLimits("1", base::Unit::None);
        });
        count.trial(plate(120), Label::Good);
        QVERIFY(count.results[0].accepted());
        QVERIFY(count.of(Doubt::ThinMargin).empty());
    }
    void whatWasNotMeasuredOnGoodTrialsIsSaidWithItsReason()
    {
        Bench b = proved();
        b.trial(draw({}, 300, 200, {}, 1), Label::Good); // no part
        const auto lost = b.of(Doubt::NotMeasured);
        QCOMPARE(int(lost.size()), 1);
        QCOMPARE(lost[0].trial, 3);
        QVERIFY2(lost[0].text.find("1 of 3 good trials: ") != std::string::npos && lost[0].text.back() != ' ',
                 lost[0].text.c_str());
        b.recipe.trials[3].label = Label::Bad; // there it is what is wanted
        QVERIFY(b.of(Doubt::NotMeasured).empty());
    }
    void namesThatLookAlike()
    {
        Bench b = proved();
        for (const char* name : {"Hole l", "Hole 1", "Slot", "slot ", "Sl0t", "Rand"})
            chain(b.recipe, "circle", std::string("id-") + name, [&](Step& s) { s.name = name, s.checks.clear(); });
        const auto names = b.of(Doubt::Names);
        QCOMPARE(int(names.size()), 2);
        QVERIFY(names[0].text.find("Hole l") != std::string::npos || names[1].text.find("Hole l") != std::string::npos);
        // Names of other scripts are compared letter by letter.
        b.recipe = sound();
        for (const char* name : {"Loch größer", "Loch größter", "ölig", "über", "Slot +", "Slot -", "*", "#"})
            chain(b.recipe, "circle", std::string("id-") + name, [&](Step& s) { s.name = name, s.checks.clear(); });
        QVERIFY(b.of(Doubt::Names).empty());
        chain(b.recipe, "circle", "again", [&](Step& s) { s.name = "über", s.checks.clear(); });
        QCOMPARE(int(b.of(Doubt::Names).size()), 1);
    }
    void labelsThatDisagreeAndPicturesThatAreGone()
    {
        Bench b = proved();
        b.trial(plate(130), Label::Good), b.trial(plate(120), Label::Bad);
        const auto labels = b.of(Doubt::Label);
        QCOMPARE(int(labels.size()), 2);
        QCOMPARE(labels[0].trial, 3);
        QVERIFY2(labels[0].text.find("labelled good and rejected: ") == 0 &&
                     labels[0].text.find("Width") != std::string::npos,
                 labels[0].text.c_str());
        QVERIFY(labels[1].text.find("labelled bad and accepted") == 0);
        // Many trials with one cause are one finding.
        for (int i = 0; i < 7; ++i) b.trial(plate(120), Label::Bad);
        QCOMPARE(int(b.of(Doubt::Label).size()), 2);
        QCOMPARE(b.of(Doubt::Label)[1].subject, std::string("8 trials: 5, 6, 7, 8, 9, 10, …"));
        b.recipe.trials.resize(5), b.results.resize(5);
        b.results[0].error = "a.png: cannot be read";
        b.results[1].warnings = {"a calibration target lies among the parts"};
        const auto pictures = b.of(Doubt::Picture);
        QCOMPARE(int(pictures.size()), 2);
        QVERIFY(pictures[0].trial == 0 && pictures[1].trial == 1);
    }
    void theGuardBandWantsAnUncertainty()
    {
        Bench b = proved();
        QVERIFY(b.of(Doubt::Uncertainty).empty());
        b.recipe.guardBand = true;
        QCOMPARE(int(b.of(Doubt::Uncertainty).size()), 1);
        b.check().uncertainty = 0.1;
        QVERIFY(b.of(Doubt::Uncertainty).empty());
    }
    void anEmptyRecipeIsSaidAndUnansweredTrialsAreNoDoubt()
    {
        QCOMPARE(int(inspect::review(Recipe(), {}).size()), 1); // it judges nothing
        Bench b = proved();
        const auto none = inspect::review(b.recipe, {nullptr, nullptr, nullptr});
        for (const Finding& f : none) QVERIFY(f.doubt == Doubt::Fixed);
        QVERIFY(inspect::review(b.recipe, {}).size() == none.size()); // shorter than the trials
    }
    void everyDoubtHasAWordOfItsOwn()
    {
        std::set<std::string> names, titles;
        for (int d = 0; d <= int(Doubt::Trials); ++d)
            names.insert(inspect::name(Doubt(d))), titles.insert(inspect::title(Doubt(d)));
        QCOMPARE(int(names.size()), int(Doubt::Trials) + 1);
        QCOMPARE(titles.size(), names.size());
    }
};
QTEST_GUILESS_MAIN(ReviewTest)
#include "review_test.moc"
