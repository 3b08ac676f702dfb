// What is looked at one by one: rows with values and fate, and ranges made from examples.
#include "inspect/picking.h"
#include "support.h"

using namespace support;
using namespace recipe;
using geometry::Point;

class ObjectsTest : public QObject
{
    Q_OBJECT
    // Dark boxes of known sizes, exactly on pixel borders: three wanted ones 40 × 20, one small 6 × 6, one long 90 × 12,
    // one large 100 × 80, one cut by the border.
    static image::Image scene()
    {
        image::Image p(640, 300, image::PixelFormat::Grey8);
        for (std::size_t i = 0; i < p.byteCount(); ++i) p.row(0)[i] = 200;
        const auto fill = [&](int left, int top, int w, int h) {
            for (int y = top; y < top + h; ++y)
                for (int x = left; x < left + w; ++x) p.row(y)[x] = 40;
        };
        fill(50, 50, 40, 20), fill(150, 60, 40, 20), fill(250, 70, 40, 20);
        fill(60, 150, 6, 6), fill(100, 150, 90, 12), fill(300, 150, 100, 80), fill(0, 200, 30, 30);
        return p;
    }
    static void settings(Step& s)
    {
        s.id = "blobs";
        const StepKind& kind = *findKind("blobs");
        kind.param("mode")->put(s.params, std::string("fixed"));
        kind.param("low")->put(s.params, 0.0);
        kind.param("high")->put(s.params, 100.0);
        kind.param("least_area")->put(s.params, 100.0);
        kind.param("most_area")->put(s.params, 5000.0);
        s.filters = {{"elongation", {}, 3.0}};
    }
    struct Ran {
        inspect::Prepared prepared;
        image::Capture capture;
        inspect::PictureResult result;
        const inspect::StepResult& step() const { return *result.items.front().steps.front(); }
        base::Result<ObjectTable> told() const
        {
            return inspect::told(prepared, capture, result.items.front(), prepared.recipe().steps.front().id);
        }
    };
    static Ran ran(const std::string& kind, image::Image picture, const std::function<void(Step&)>& edit)
    {
        Recipe r;
        Step s = makeStep(r, *findKind(kind));
        edit(s);
        r.steps.push_back(s);
        auto prepared = inspect::Prepared::make(r);
        if (!prepared) qFatal("%s", prepared.error().text().c_str());
        Ran out{std::move(*prepared), captureOf(std::move(picture)), {}};
        out.result = inspect::evaluate(out.prepared, out.capture);
        return out;
    }
    static const ObjectTable::Row& rowAt(const ObjectTable& t, Point p)
    {
        const int row = t.at(p, 3);
        if (row < 0) qFatal("nothing at %g, %g", p.x, p.y);
        return t.rows[std::size_t(row)];
    }
private slots:
    void listsAreTheNumberedRows()
    {
        const auto r = ran("blobs", scene(), settings);
        const auto& table = r.step().objects;
        QCOMPARE(r.step().output("count")->values.front(), 3.0);
        int lists = 0;
        for (const auto& output : r.step().outputs)
            if (const int c = table.column(output.name); c >= 0) {
                ++lists;
                QCOMPARE(output.values, table.list(c));
            }
        QVERIFY(lists > 25);
        QCOMPARE(table.list(table.column("areas")), std::vector<double>(3, 800.0));
        QCOMPARE(table.list(table.column("x")), (std::vector<double>{69.5, 169.5, 269.5}));
        // The long one is turned away late and stays, with what it lacks.
        const auto& long_ = rowAt(table, {144.5, 155.5});
        QVERIFY(long_.fate == Fate::Filtered && long_.number == 0 && long_.by == "elongation");
        QVERIFY(std::abs(long_.value - 7.5) < 0.02 && std::abs(long_.off() - 4.5) < 0.02);
    }
    void everyAreaHasItsFate()
    {
        const auto told = ran("blobs", scene(), settings).told();
        QVERIFY(told);
        QCOMPARE(told->rows.size(), std::size_t(7));
        const auto& small = rowAt(*told, {62.5, 152.5});
        QVERIFY(small.fate == Fate::Bounded && small.by == "least_area" && small.value == 36);
        QCOMPARE(QString::fromStdString(howCome(*told, told->at({62.5, 152.5}, 3), "Least size")),
                 QStringLiteral("turned away by Least size: 36, at least 100 is needed (64 too little)"));
        const auto& large = rowAt(*told, {349.5, 189.5});
        QVERIFY(large.fate == Fate::Bounded && large.by == "most_area" && large.off() == 3000);
        QVERIFY(rowAt(*told, {14.5, 214.5}).fate == Fate::AtBorder);
        QVERIFY(rowAt(*told, {144.5, 155.5}).fate == Fate::Filtered);
        for (const Point at : {Point{69.5, 59.5}, {169.5, 69.5}, {269.5, 79.5}})
            QVERIFY(rowAt(*told, at).fate == Fate::Kept && rowAt(*told, at).number > 0);
        // Every value of every row is worked out, also of those that never became objects.
        for (const auto& row : told->rows)
            for (const double v : row.values) QVERIFY(std::isfinite(v));
        // What is kept is what the step answered.
        const auto again = ran("blobs", scene(), settings);
        const auto& answered = again.step().objects;
        for (std::size_t i = 0; i < 3; ++i) QCOMPARE(told->rows[i].values, answered.rows[i].values);
        QCOMPARE(told->at({500, 280}, 12), -1);
        for (const auto& c : told->columns) QVERIFY2(!c.label.empty(), c.key.c_str());
    }
    void aListThatIsCutOffSaysSo()
    {
        const auto r = ran("blobs", scene(), [](Step& s) {
            settings(s);
            findKind("blobs")->param("most_objects")->put(s.params, std::int64_t(2));
        });
        QCOMPARE(r.step().unlisted, std::size_t(1));
        const auto told = r.told();
        QVERIFY(told);
        QCOMPARE(told->list(0).size(), std::size_t(2));
        QVERIFY(rowAt(*told, {269.5, 79.5}).fate == Fate::Unlisted && rowAt(*told, {269.5, 79.5}).kept());
    }
    void thousandsOfSpecksAreBounded()
    {
        demo::Random random(3);
        image::Image p(800, 800, image::PixelFormat::Grey8);
        for (std::size_t i = 0; i < p.byteCount(); ++i) p.row(0)[i] = random.bits() % 5 ? 200 : 40;
        const auto r = ran("blobs", std::move(p), [](Step& s) {
            settings(s);
            s.filters.clear();
        });
        const auto told = r.told();
        QVERIFY(told);
        QVERIFY(told->more > 1000 && told->rows.size() < 2500);
        // The largest are the ones that are told.
        const int areas = told->column("areas");
        for (std::size_t i = 1; i < told->rows.size(); ++i)
            if (!told->rows[i - 1].kept())
                QVERIFY(told->rows[i - 1].values[std::size_t(areas)] >= told->rows[i].values[std::size_t(areas)]);
    }
    void weakEdgesAreTold()
    {
        // A strong and a faint step along one way.
        image::Image p(300, 60, image::PixelFormat::Grey8);
        for (int y = 0; y < 60; ++y)
            for (int x = 0; x < 300; ++x) p.row(y)[x] = x < 100 ? 60 : x < 200 ? 160 : 169;
        const auto edit = [](Step& s) {
            s.id = "edge";
            s.regions["window"] = geometry::Region::window({20, 30}, {280, 30}, 20);
            findKind("edge_point")->param("least_strength")->put(s.params, 20.0);
        };
        const auto told = ran("edge_point", std::move(p), edit).told();
        QVERIFY(told);
        QCOMPARE(told->rows.size(), std::size_t(2));
        QVERIFY(told->rows[0].number == 1 && std::abs(told->rows[0].at.x - 99.5) < 0.1);
        QVERIFY(told->rows[1].fate == Fate::Bounded && told->rows[1].by == "least_strength");
        QVERIFY(std::abs(told->rows[1].at.x - 199.5) < 0.3 && std::abs(told->rows[1].value - 9) < 1);
    }
    void theBestFalseFindIsTold()
    {
        // A plate and, beside it, one that lacks a corner: found with a lower score only.
        const auto plate = [](double x, bool cut) {
            std::vector<Point> out{{x, 80}, {x + 120, 80}, {x + 120, 160}, {x, 160}};
            if (cut) out = {{x, 80}, {x + 40, 80}, {x + 70, 120}, {x + 120, 160}, {x, 160}};
            return out;
        };
        const auto picture = draw({plate(60, false), plate(280, true)}, 480, 240);
        Recipe r;
        r.reference = *makeAsset("reference.png", *image::encodePng(picture), "");
        Step s = makeStep(r, *findKind("pattern"));
        s.id = "part";
        s.regions["part"] = geometry::Region::rectangle({120, 120}, 150, 110);
        r.steps.push_back(s);
        auto prepared = inspect::Prepared::make(r);
        QVERIFY(prepared);
        const auto capture = captureOf(draw({plate(60, false), plate(280, true)}, 480, 240));
        const auto result = inspect::evaluate(*prepared, capture);
        const auto told = inspect::told(*prepared, capture, result.items.front(), "part");
        QVERIFY(told);
        QVERIFY(told->rows.size() >= 2);
        QVERIFY(told->rows[0].number == 1 && std::abs(told->rows[0].at.x - 120) < 1);
        const auto& other = told->rows[1];
        QVERIFY(other.fate == Fate::Bounded && other.by == "least_score" && other.off() > 0);
        QVERIFY(std::abs(other.at.x - 340) < 40);
    }
    void examplesBecomeTheWidestGap()
    {
        const std::vector<ObjectTable::Column> columns{{"areas", "Size", {}}, {"round", "Round", {}}, {"x", "x", {}}};
        const std::vector<inspect::Values> wanted{{800, 0.9, 10}, {840, 0.7, 20}},
            unwanted{{780, 0.2, 300}, {2000, 0.8, 400}};
        const std::vector<std::string> fixed{"x"};
        const auto picked = inspect::pick(columns, wanted, unwanted, fixed);
        QVERIFY(picked);
        QCOMPARE(picked->filters.size(), std::size_t(1));
        QCOMPARE(picked->filters[0].output, std::string("areas"));
        QVERIFY(*picked->filters[0].low > 780 && *picked->filters[0].low < 800);
        QVERIFY(*picked->filters[0].high > 840 && *picked->filters[0].high < 2000);
        QVERIFY(picked->margin > 0 && picked->margin < 0.5);
        ObjectTable table;
        table.columns = columns;
        for (const auto& v : wanted) QVERIFY(inspect::keeps(table, v, picked->filters));
        for (const auto& v : unwanted) QVERIFY(!inspect::keeps(table, v, picked->filters));
        // Without the place nothing tells these apart, and that is said.
        const std::vector<inspect::Values> same{{800, 0.9, 300}};
        const auto none = inspect::pick(columns, wanted, same, fixed);
        QVERIFY(!none && none.error().message.find("no value") != std::string::npos);
        QVERIFY(!inspect::pick(columns, {}, same, fixed) && !inspect::pick(columns, wanted, {}, fixed));
    }
    void examplesHoldForRandomKinds()
    {
        // Two kinds that differ in one hidden column: whatever is picked parts every example.
        demo::Random random(11);
        const std::vector<ObjectTable::Column> columns{{"a", "a", {}}, {"b", "b", {}}, {"c", "c", {}}, {"d", "d", {}}};
        ObjectTable table;
        table.columns = columns;
        for (int round = 0; round < 200; ++round) {
            std::vector<inspect::Values> kinds[2];
            const std::size_t hidden = random.bits() % 4;
            for (int i = 0; i < 12; ++i) {
                inspect::Values v(4);
                for (double& x : v) x = random.uniform(0, 100);
                v[hidden] = i % 2 ? random.uniform(0, 40) : random.uniform(41, 100);
                kinds[i % 2].push_back(v);
            }
            const auto picked = inspect::pick(columns, kinds[0], kinds[1]);
            QVERIFY(picked);
            for (int k : {0, 1})
                for (const auto& v : kinds[k]) QCOMPARE(inspect::keeps(table, v, picked->filters), k == 0);
        }
    }
};

QTEST_APPLESS_MAIN(ObjectsTest)
#include "objects_test.moc"
