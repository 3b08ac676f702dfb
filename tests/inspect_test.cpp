#include "inspect/trials.h"
#include "support.h"

using namespace support;
using namespace inspect;
using geometry::Region;

class InspectTest : public QObject
{
    Q_OBJECT
    QTemporaryDir m_dir;
    recipe::Recipe m_recipe;

    static recipe::Recipe widthRecipe(const std::string& limits, base::Unit unit, double mm = 0)
    {
        recipe::Recipe r;
        r.calibration = geometry::Calibration::factor(mm, "");
        recipe::Step s = recipe::makeStep(r, *recipe::findKind("edge_pair"));
        s.regions["window"] = Region::window({5, 30}, {115, 30}, 9);
        if (!limits.empty()) s.checks[0].limits = *recipe::parseLimits(limits, unit);
        r.steps.push_back(s);
        return r;
    }
    static CheckResult checkOf(const recipe::Recipe& r)
    {
        return evaluate(*Prepared::make(r), captureOf(draw({box(30, 5, 90, 55)}, 120, 60))).items.at(0).checks.at(0);
    }

private slots:
    void initTestCase() { m_recipe = *recipe::load(writeDemo(m_dir, 15)); }

    void verdicts()
    {
        QCOMPARE(int(checkOf(widthRecipe("60 +-0.5", base::Unit::Pixel)).verdict), int(Verdict::Pass));
        const auto fail = checkOf(widthRecipe("50 +-0.5", base::Unit::Pixel));
        QCOMPARE(int(fail.verdict), int(Verdict::Fail));
        QCOMPARE(fail.reason, std::string("at most 50.50 px"));
        QCOMPARE(int(checkOf(widthRecipe("", base::Unit::Pixel)).verdict), int(Verdict::Unjudged));
    }
    void nothingIsJudgedAcrossUnits()
    {
        // 3 mm now; the limits are still in px
        const auto c = checkOf(widthRecipe("60 +-0.5", base::Unit::Pixel, 0.05));
        QCOMPARE(int(c.verdict), int(Verdict::NotMeasured));
        QCOMPARE(c.reason, std::string("limit is in px, the value in mm"));
        QVERIFY(std::abs(c.values.at(0) - 3.0) < 0.002 && !c.low && !c.high);
        QCOMPARE(int(checkOf(widthRecipe("3 +-0.02", base::Unit::Millimetre, 0.05)).verdict), int(Verdict::Pass));
    }
    void notMeasuredRejects()
    {
        const auto r = evaluate(*Prepared::make(widthRecipe(">= 1", base::Unit::Pixel)), captureOf(draw({}, 120, 60)));
        QVERIFY(!r.items[0].accepted());
        QCOMPARE(int(r.items[0].checks[0].verdict), int(Verdict::NotMeasured));
        QVERIFY(r.items[0].sentence().find("no edge above 12 grey levels") != std::string::npos);
    }
    void listsJudgeEveryElement()
    {
        recipe::Recipe r;
        recipe::Step s = recipe::makeStep(r, *recipe::findKind("blobs"));
        put(s, "objects", std::string("dark"));
        recipe::Check sizes;
        sizes.output = "areas", sizes.name = "Sizes", sizes.balloon = 1;
        sizes.limits = *recipe::parseLimits("90 .. 150", base::Unit::SquarePixel);
        s.checks = {sizes};
        r.steps.push_back(s);
        const auto prepared = Prepared::make(r);
        const auto picture = [](double second) {
            return captureOf(
                draw({box(19.5, 19.5, 29.5, 29.5), box(49.5, 19.5, 49.5 + second, 29.5), box(79.5, 19.5, 89.5, 29.5)},
                     120, 60));
        };
        QCOMPARE(int(evaluate(*prepared, picture(10)).items[0].checks[0].verdict), int(Verdict::Pass));
        const auto bad = evaluate(*prepared, picture(20)).items[0].checks[0];
        QCOMPARE(int(bad.verdict), int(Verdict::Fail)); // only the second is wrong, and it is named
        QVERIFY2(bad.reason.find("no. 2 is") == 0, bad.reason.c_str());
        QCOMPARE(bad.valueText(), std::string("1 of 3 out"));
    }
    void everyLabelAgrees()
    {
        const auto prepared = Prepared::make(m_recipe);
        QVERIFY(prepared);
        for (const auto& t : m_recipe.trials) {
            const auto r = evaluate(*prepared, *image::loadCapture(t.picture));
            QVERIFY2(r.accepted() == (t.label == recipe::Label::Good),
                     (t.picture + " " + (r.items.empty() ? "" : r.items[0].sentence())).c_str());
        }
    }
    void aPartThatIsNotFoundHasNoStaleValue()
    {
        const auto prepared = Prepared::make(m_recipe);
        const auto good = evaluate(*prepared, *image::loadCapture(m_recipe.trials[0].picture));
        // An absent plate, with the good result as the earlier one: nothing of it may come back.
        const auto r = evaluate(*prepared, captureOf(draw({}, smallField().width, smallField().height)));
        QCOMPARE(int(r.items.size()), 1);
        for (const auto& c : r.items[0].checks) {
            // the part is the fault
            QCOMPARE(int(c.verdict), int(c.step == "plate" ? Verdict::Fail : Verdict::NotMeasured));
            QVERIFY(c.values.empty() && !c.reason.empty());
        }
        for (const auto& s : r.items[0].steps)
            if (s->step != "plate")
                QVERIFY(s->state == State::NotRun && s->reason.find("datum A \"Plate\" was not found") == 0);
        QVERIFY(good.accepted());
    }
    void takenOverResultsEqualFreshOnes()
    {
        const auto first = Prepared::make(m_recipe);
        const auto capture = *image::loadCapture(m_recipe.trials[0].picture);
        const auto before = evaluate(*first, capture);
        recipe::Recipe edited = m_recipe;
        edited.find("width")->regions["window"].width += 4;
        edited.find("slots")->checks[0].limits = *recipe::parseLimits("9", base::Unit::None);
        const auto second = Prepared::make(edited, &*first);
        QVERIFY(first->taught("plate")->model == second->taught("plate")->model); // not taught again
        QVERIFY(!complete(*second, before) && complete(*first, before));
        const auto quick = evaluate(*second, capture, &before), fresh = evaluate(*second, capture);
        int shared = 0;
        for (std::size_t i = 0; i < fresh.items[0].steps.size(); ++i) {
            const auto &a = quick.items[0].steps[i], &b = fresh.items[0].steps[i];
            shared += a == before.items[0].steps[i];
            QCOMPARE(a->outputs.size(), b->outputs.size());
            for (std::size_t k = 0; k < a->outputs.size(); ++k) QVERIFY(a->outputs[k].values == b->outputs[k].values);
        }
        QCOMPARE(shared, int(m_recipe.steps.size()) - 1);
        QVERIFY(!fresh.items[0].accepted()); // ten slots are not nine
    }
    void renamingBreaksNothing()
    {
        recipe::Recipe edited = m_recipe;
        for (auto& s : edited.steps) s.name += " new";
        const auto a = Prepared::make(m_recipe), b = Prepared::make(edited);
        const auto capture = *image::loadCapture(m_recipe.trials[0].picture);
        const auto before = evaluate(*a, capture);
        QVERIFY(complete(*b, before));
        QVERIFY(evaluate(*b, capture).accepted());
    }
    void orderInTheFileDoesNotMatter()
    {
        recipe::Recipe turned = m_recipe;
        std::reverse(turned.steps.begin(), turned.steps.end());
        const auto capture = *image::loadCapture(m_recipe.trials[1].picture);
        const auto a = evaluate(*Prepared::make(m_recipe), capture), b = evaluate(*Prepared::make(turned), capture);
        for (const auto& s : a.items[0].steps) {
            const auto* other = b.items[0].step(s->step);
            for (std::size_t k = 0; k < s->outputs.size(); ++k)
                QVERIFY(s->outputs[k].values == other->outputs[k].values);
        }
    }
    void deletedInputsAreSaid()
    {
        recipe::Recipe r = m_recipe;
        r.steps.erase(r.steps.begin() + r.indexOf("hole_right"));
        const auto result = evaluate(*Prepared::make(r), *image::loadCapture(m_recipe.trials[0].picture));
        QVERIFY(result.items[0].step("pitch")->reason.find("input missing") == 0 && !result.items[0].accepted());
    }
    void sameBitsOnAnyNumberOfThreads()
    {
        std::vector<std::string> pictures;
        for (const auto& t : m_recipe.trials) pictures.push_back(t.picture);
        const auto prepared = std::make_shared<const Prepared>(*Prepared::make(m_recipe));
        std::map<std::string, PictureResult> one, many;
        for (const int threads : {1, 4}) {
            auto& to = threads == 1 ? one : many;
            TrialRunner runner([&](int, PictureResult r) { to[r.picture] = std::move(r); },
                               std::make_shared<CaptureCache>(std::size_t(1) << 30), threads);
            runner.run(prepared, pictures, 1, pictures.back());
            runner.wait();
        }
        QCOMPARE(one.size(), pictures.size());
        for (const auto& [name, r] : one)
            for (std::size_t i = 0; i < r.items[0].checks.size(); ++i)
                QVERIFY(r.items[0].checks[i].values == many.at(name).items[0].checks[i].values);
    }
    void unreadablePicturesAreAnsweredToo()
    {
        const auto prepared = std::make_shared<const Prepared>(*Prepared::make(m_recipe));
        std::vector<PictureResult> answers;
        TrialRunner runner([&](int, PictureResult r) { answers.push_back(std::move(r)); },
                           std::make_shared<CaptureCache>(1), 2);
        runner.run(prepared, {"/nowhere.png", m_recipe.trials[0].picture}, 1, "");
        runner.wait();
        QCOMPARE(int(answers.size()), 2);
        QCOMPARE(int(std::count_if(answers.begin(), answers.end(), [](const auto& r) { return r.error.has_value(); })),
                 1);
    }
    void aCancelledPictureHasNoItems()
    {
        const std::atomic<bool> cancel{true};
        const auto r =
            evaluate(*Prepared::make(m_recipe), *image::loadCapture(m_recipe.trials[0].picture), nullptr, &cancel);
        QVERIFY(r.cancelled && r.items.empty());
    }
};
QTEST_APPLESS_MAIN(InspectTest)
#include "inspect_test.moc"
