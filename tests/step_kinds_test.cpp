// The house rules every step kind must keep; a new kind is covered the moment it is listed. Here the list holds two
// made-up kinds more, which get their form, JSON, listing, reference page and results without a line of code elsewhere.
#include "cli/json_results.h"
#include "desktop/param_form.h"
#include "recipe/soundness.h"
#include "step_kinds_headers.inc"
#include "support.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLineEdit>
#include <QRegularExpression>
#include <QSpinBox>
#include <QToolButton>
#include <limits>

namespace steps
{
recipe::StepKind grey_mean();
recipe::StepKind light_step();
} // namespace steps
std::span<const recipe::StepKind> recipe::allStepKinds()
{
    static const StepKind kinds[] = {
#include "step_kinds_items.inc"
        steps::grey_mean(),
        steps::light_step(),
    };
    return kinds;
}

using namespace recipe;
using nlohmann::json;

class StepKindsTest : public QObject
{
    Q_OBJECT
    static const StepKind& kind()
    {
        QFETCH_GLOBAL(int, i);
        return allStepKinds()[std::size_t(i)];
    }
    // A step with a region for everything the kind needs, placed on a picture of this size.
    static Step placed(const StepKind& k, int w, int h)
    {
        Recipe r;
        Step s = makeStep(r, k);
        const geometry::Point c{w / 2.0, h / 2.0};
        const double size = std::max(2.0, std::min(w, h) / 3.0);
        for (const RegionSpec& spec : k.regions) {
            geometry::Region region;
            switch (spec.shapes.front()) {
            case geometry::Shape::Window:
                region = geometry::Region::window(c - geometry::Point{size, 0}, c + geometry::Point{size, 0}, size / 2);
                break;
            case geometry::Shape::Rectangle: region = geometry::Region::rectangle(c, 2 * size, size); break;
            case geometry::Shape::Circle: region = geometry::Region::circle(c, size); break;
            case geometry::Shape::Ring: region = geometry::Region::ring(c, size / 2, size); break;
            default: break;
            }
            s.regions[spec.key] = region;
        }
        return s;
    }
    static inspect::PictureResult run(Step s, image::Image picture)
    {
        Recipe r;
        if (findKind(s.kind)->teach) r.reference = *makeAsset("r.png", *image::encodePng(picture), "");
        r.steps.push_back(std::move(s));
        auto p = inspect::Prepared::make(r);
        return inspect::evaluate(*p, support::captureOf(std::move(picture)));
    }
    static image::Image noisy(int w, int h, std::uint64_t seed)
    {
        demo::Random r(seed);
        image::Image p(w, h, seed % 2 ? image::PixelFormat::Grey8 : image::PixelFormat::Grey16);
        for (std::size_t i = 0; i < p.byteCount(); ++i) p.row(0)[i] = std::uint8_t(r.bits());
        return p;
    }
private slots:
    void initTestCase_data()
    {
        QTest::addColumn<int>("i");
        int i = 0;
        for (const StepKind& k : allStepKinds()) QTest::newRow(k.key.c_str()) << i++;
    }
    void wordsAreComplete()
    {
        const QRegularExpression snake(QStringLiteral("^[a-z][a-z0-9_]*$"));
        const auto sentence = [](const std::string& s) { return s.size() > 12 && s.back() == '.'; };
        QVERIFY(snake.match(QString::fromStdString(kind().key)).hasMatch());
        QVERIFY(sentence(kind().help) && !kind().source.empty() && !kind().purpose.empty() && !kind().outputs.empty());
        std::set<std::string> keys;
        for (const ParamSpec& p : kind().params) {
            QVERIFY2(snake.match(QString::fromStdString(p.key)).hasMatch() && keys.insert(p.key).second, p.key.c_str());
            QVERIFY2(!p.label.empty() && p.label.back() != ':' && sentence(p.help), p.key.c_str());
            QVERIFY2(p.check(p.fallback), p.key.c_str());
        }
        for (const RegionSpec& r : kind().regions) QVERIFY2(!r.shapes.empty() && sentence(r.help), r.key.c_str());
        for (const OutputSpec& o : kind().outputs) QVERIFY2(!o.label.empty() && sentence(o.help), o.key.c_str());
        rolesResolve();
    }
    // What a kind says of its settings and values names something it has, of the right sort.
    static void rolesResolve()
    {
        const Roles& r = kind().roles;
        const auto setting = [&](const std::string& key, const Value& like) {
            const ParamSpec* p = key.empty() ? nullptr : kind().param(key);
            return key.empty() || (p && p->fallback.index() == like.index());
        };
        QVERIFY(setting(r.reversed, false) && setting(r.reversedRound, false));
        QVERIFY(setting(r.direction, 0.0) && setting(r.expected, std::int64_t(0)));
        QVERIFY(setting(r.colourSetting, std::string()));
        QCOMPARE(r.colourSetting.empty(), !kind().hasSamples);
        QVERIFY(r.colourRegion.empty() || kind().region(r.colourRegion)->teaching);
        QVERIFY(r.origin.empty() || std::any_of(kind().points.begin(), kind().points.end(),
                                                [&](const PointSpec& p) { return p.key == r.origin; }));
        const auto value = [&](const std::string& key) { return key.empty() || kind().output(key); };
        QVERIFY(value(r.findX) && value(r.findY) && value(r.findAngle) && value(r.findScore) && value(r.findScale));
        QCOMPARE(r.findX.empty(), !kind().datum);
        for (const auto& [x, y] : r.places)
            for (const OutputSpec* o : {kind().output(x), kind().output(y)})
                QVERIFY(o && !o->list && !o->calibrates && o->unit == base::Unit::Pixel);
        // Every single place in the picture says that it is one.
        for (const OutputSpec& o : kind().outputs)
            if (!o.list && !o.calibrates && o.unit == base::Unit::Pixel)
                QVERIFY2(std::any_of(r.places.begin(), r.places.end(),
                                     [&](const auto& p) { return p.first == o.key || p.second == o.key; }),
                         o.key.c_str());
    }
    void jsonRoundTrips()
    {
        const json out = kind().paramsToJson(kind().defaults);
        const auto back = kind().paramsFromJson(json::parse(out.dump()));
        QVERIFY(back && kind().paramsToJson(*back) == out);
        // A whole recipe too, through a file.
        QTemporaryDir dir;
        Recipe r;
        Step s = placed(kind(), 90, 70);
        if (!s.checks.empty() && !kind().mainOutput()->list)
            s.checks[0].limits.low = 1, s.checks[0].limits.high = 2,
            s.checks[0].limits.unit = r.unitOf(s, *kind().mainOutput());
        r.steps.push_back(s);
        const std::string path = dir.filePath("r.json").toStdString();
        QVERIFY(save(r, path));
        const auto again = load(path);
        QVERIFY2(again.has_value(), again ? "" : again.error().text().c_str());
        QCOMPARE(stepToJson(again->steps[0]).dump(), stepToJson(s).dump());
    }
    void malformedJsonIsAnErrorNotAnException()
    {
        for (const char* text : {"null", "[]", "3", "\"a\"", R"({"no_such_setting":1})"})
            QVERIFY2(!kind().paramsFromJson(json::parse(text)), text);
        for (const ParamSpec& p : kind().params) {
            for (const char* text : {"null", "[]", "{}", "\"rubbish\"", "1e400", "18446744073709551615"}) {
                if (std::holds_alternative<Text>(p.domain) && text[0] == '"') continue;
                const json j = json::parse(text, nullptr, false);
                if (j.is_discarded()) continue;
                const auto r = kind().paramsFromJson(json{{p.key, j}});
                QVERIFY2(!r && r.error().text().find(p.key) != std::string::npos, (p.key + " " + text).c_str());
            }
            if (const auto* real = std::get_if<Real>(&p.domain)) {
                QVERIFY(!p.check(std::numeric_limits<double>::quiet_NaN()) && !p.check(real->max * 2 + 1) &&
                        p.check(real->max) && p.check(real->min));
                QVERIFY(!p.check(std::string("1")));
            }
        }
    }
    void everySettingHasAnEditorThatEdits()
    {
        desktop::ParamForm form;
        Recipe r;
        Step s = placed(kind(), 90, 70);
        r.steps.push_back(s);
        form.show(r, s, {}, false);
        if (auto* all = form.findChild<QToolButton*>("allSettings")) {
            all->click();
            QTest::qWait(1);
        }
        int edits = 0;
        const Step usual = s;
        connect(&form, &desktop::ParamForm::edited, &form,
                [&](const QString&, const std::function<void(Step&)>& edit, const QString&) {
                    edit(s);
                    ++edits;
                });
        for (const ParamSpec& p : kind().params) {
            s = usual;
            // What a choice does not read is not shown; it is under the choice that does.
            for (const ParamSpec* of = &p; !of->when.empty(); of = kind().param(of->when)) {
                QVERIFY(kind().param(of->when) && !of->is.empty());
                kind().param(of->when)->put(s.params, of->is.front());
            }
            // Nor what only a picture that is not chosen makes use of.
            bool withPicture = false;
            for (const PictureSpec& spec : kind().pictures)
                if (std::find(spec.params.begin(), spec.params.end(), p.key) != spec.params.end())
                    withPicture = true, s.pictures[spec.key] = "another";
            if (withPicture || !kind().isRead(p, usual.params)) {
                QVERIFY2(kind().isRead(p, s.params), p.key.c_str());
                form.show(r, usual, {}, false);
                QVERIFY2(!form.findChild<QWidget*>(QString::fromStdString(p.key)), p.key.c_str());
            }
            form.show(r, s, {}, false);
            auto* e = form.findChild<QWidget*>(QString::fromStdString(p.key));
            QVERIFY2(e && !e->toolTip().isEmpty() && !e->accessibleName().isEmpty(), p.key.c_str());
            const int before = edits;
            Value wanted;
            if (auto* d = qobject_cast<QDoubleSpinBox*>(e)) {
                const double to = d->value() == d->maximum() ? d->maximum() * 0.8 : d->maximum();
                d->setValue(to), wanted = to;
            } else if (auto* w = qobject_cast<QSpinBox*>(e)) {
                w->setValue(w->maximum()), wanted = std::int64_t(w->maximum());
            } else if (auto* c = qobject_cast<QComboBox*>(e)) {
                c->setCurrentIndex(c->count() - 1 - (c->currentIndex() == c->count() - 1));
                wanted = c->currentData().toString().toStdString();
            } else if (auto* b = qobject_cast<QCheckBox*>(e)) {
                b->toggle(), wanted = b->isChecked();
            } else if (auto* line = qobject_cast<QLineEdit*>(e)) {
                line->setText("1 + 2"), wanted = std::string("1 + 2");
                emit line->editingFinished();
            }
            QVERIFY2(edits == before + 1, p.key.c_str());
            QVERIFY2(p.get(s.params) == wanted, p.key.c_str());
        }
    }
    void itIsListedAndDocumented()
    {
        const std::string listing = cli::kindsJson().dump(), page = cli::kindsPage(), schema = jsonSchema().dump();
        for (const std::string& text : {listing, page, schema}) {
            QVERIFY(text.find(kind().key) != std::string::npos);
            for (const ParamSpec& p : kind().params) QVERIFY2(text.find(p.key) != std::string::npos, p.key.c_str());
        }
    }
    void tinyBlankAndLargePicturesFailCleanly()
    {
        for (const auto& [w, h] : {std::pair{1, 1}, {2, 3}, {5, 40}, {40, 5}, {300, 200}}) {
            image::Image blank(w, h, image::PixelFormat::Grey8);
            const auto r = run(placed(kind(), w, h), std::move(blank));
            QCOMPARE(int(r.items.size()), 1);
            const auto& s = r.items[0].steps[0];
            QVERIFY(s->state == inspect::State::Ok || !s->reason.empty());
        }
        const auto large = run(placed(kind(), 7000, 7200), image::Image(7000, 7200, image::PixelFormat::Grey8));
        QVERIFY(large.items[0].steps[0]->state == inspect::State::Ok || !large.items[0].steps[0]->reason.empty());
    }
    // Random settings and regions on noise: always a result or a reason, and the same bits when asked again.
    void anySettingsGiveAResultOrAReason()
    {
        demo::Random r(99);
        for (int n = 0; n < 60; ++n) {
            const int w = 1 + r.below(160), h = 1 + r.below(120);
            Step s = placed(kind(), w, h);
            for (const ParamSpec& p : kind().params) {
                Value v;
                if (const auto* real = std::get_if<Real>(&p.domain))
                    v = r.below(4) ? r.uniform(real->min, std::min(real->max, real->min + 60))
                                   : r.uniform(real->min, real->max);
                else if (const auto* whole = std::get_if<Whole>(&p.domain))
                    v = whole->min +
                        std::int64_t(r.below(int(std::min<std::int64_t>(whole->max - whole->min + 1, 200))));
                else if (const auto* c = std::get_if<Choices>(&p.domain))
                    v = c->all[std::size_t(r.below(int(c->all.size())))].key;
                else if (std::holds_alternative<Text>(p.domain)) v = std::string(r.below(2) ? "1 + 2" : "[nobody] *");
                else v = r.below(2) == 1;
                p.put(s.params, v);
            }
            for (auto& [key, region] : s.regions) {
                region = region.carried(
                    {{{w / 2.0, h / 2.0}, 0}, {{r.uniform(-20, w + 20), r.uniform(-20, h + 20)}, r.uniform(-7, 7)}});
                region.width *= r.uniform(0.1, 3), region.height *= r.uniform(0.1, 3);
            }
            const auto a = run(s, noisy(w, h, std::uint64_t(n))), b = run(s, noisy(w, h, std::uint64_t(n)));
            QCOMPARE(a.items.size(), b.items.size());
            for (std::size_t i = 0; i < a.items.size(); ++i) {
                const auto &x = a.items[i].steps[0], &y = b.items[i].steps[0];
                QVERIFY(x->state == inspect::State::Ok || !x->reason.empty());
                QCOMPARE(x->reason, y->reason);
                QCOMPARE(x->outputs.size(), y->outputs.size());
                for (std::size_t k = 0; k < x->outputs.size(); ++k) {
                    QVERIFY(x->outputs[k].values == y->outputs[k].values);
                    for (const double v : x->outputs[k].values) QVERIFY(std::isfinite(v));
                    QVERIFY(x->outputs[k].list || x->outputs[k].values.size() == 1);
                }
            }
        }
    }
    void theMadeUpKindMeasures()
    {
        if (kind().key != "grey_mean") return;
        image::Image p(40, 30, image::PixelFormat::Grey8);
        std::fill_n(p.row(0), p.byteCount(), std::uint8_t(80));
        const auto r = run(placed(kind(), 40, 30), std::move(p));
        QCOMPARE(r.items[0].checks.at(0).values.at(0), 80.0);
        QCOMPARE(r.items[0].checks[0].unit, base::Unit::GreyLevel);
    }
    void theMadeUpKindReadsTwoPictures()
    {
        if (kind().key != "light_step") return;
        Recipe r;
        r.pictures = {{"white", "{id}-white.png", {}}, {"red", "{id}-red.png", {}}, {"dome", "{id}-dome.png", {}}};
        r.steps.push_back(placed(kind(), 40, 30));
        QTemporaryDir dir;
        const auto file = [&](const char* leaf, std::uint8_t level) {
            image::Image p(40, 30, image::PixelFormat::Grey8);
            std::fill_n(p.row(0), p.byteCount(), level);
            const std::string path = dir.filePath(leaf).toStdString();
            (void)base::realFiles().write(path, *image::encodePng(p));
            return path;
        };
        file("a-white.png", 200), file("a-red.png", 90);
        const std::string any = file("a-dome.png", 50);
        const auto capture = image::loadCapture(any, r.pictures);
        QVERIFY2(capture.has_value(), capture ? "" : capture.error().text().c_str());
        const auto measured = [&](const char* second, const char* first) -> std::string {
            r.steps[0].pictures.clear();
            if (*second) r.steps[0].pictures["second"] = second;
            if (*first) r.steps[0].pictures["picture"] = first;
            const auto p = inspect::Prepared::make(r);
            const auto result = inspect::evaluate(*p, *capture);
            const auto& s = *result.items[0].steps[0];
            return s.state == inspect::State::Ok ? std::to_string(int(s.outputs[0].values[0])) : s.reason;
        };
        QCOMPARE(measured("red", ""), std::string("110"));
        QCOMPARE(measured("dome", "red"), std::string("40"));
        // Half said, or wrongly said, is never a value.
        QVERIFY(measured("", "").find("\"Second picture\" (second)") != std::string::npos);
        QVERIFY(measured("blue", "").find("no picture \"blue\"; there is white, red, dome") != std::string::npos);
        // Half a capture is none, even where the step's own pictures are there.
        r.steps[0].pictures = {{"second", "red"}};
        const auto part = inspect::evaluate(*inspect::Prepared::make(r),
                                            support::captureOf(image::Image(40, 30, image::PixelFormat::Grey8)));
        QVERIFY(part.error && part.items.empty() && part.rejected() &&
                part.error->find("\"white\"") != std::string::npos);
        // It is in the file, in the form and in what is refused.
        r.steps[0].pictures = {{"second", "dome"}};
        const std::string path = dir.filePath("r.dikkat").toStdString();
        QVERIFY(save(r, path));
        const auto again = load(path);
        QVERIFY2(again.has_value(), again ? "" : again.error().text().c_str());
        QVERIFY(again->pictures == r.pictures && again->steps[0].pictures == r.steps[0].pictures);
        QVERIFY(unsound(*again).empty());
        auto half = *again;
        half.steps[0].pictures.clear();
        QVERIFY(unsound(half).size() == 1 && unsound(half)[0].where.find("second") != std::string::npos);
        half.steps[0].pictures = {{"second", "violet"}};
        QVERIFY(save(half, path) && !load(path));
        desktop::ParamForm form;
        form.show(r, r.steps[0], {}, false);
        auto* box = form.findChild<QComboBox*>("picture_second");
        QVERIFY(box && box->currentText() == "dome" && box->count() == 3);
        Step s = r.steps[0];
        connect(&form, &desktop::ParamForm::edited, &form,
                [&](const QString&, const std::function<void(Step&)>& edit, const QString&) { edit(s); });
        box->setCurrentIndex(0);
        QCOMPARE(s.pictures.at("second"), std::string("white"));
    }
};
QTEST_MAIN(StepKindsTest)
#include "step_kinds_test.moc"
