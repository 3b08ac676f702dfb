#include "base/zip.h"
#include "recipe/recipe_file.h"
#include "support.h"

#include <nlohmann/json.hpp>

using namespace recipe;
using base::ErrorCode;
using nlohmann::json;

class RecipeTest : public QObject
{
    Q_OBJECT
    QTemporaryDir m_dir;
    json m_plain;
    std::string m_packed;

    base::Result<Recipe> loadText(const std::string& text)
    {
        const std::string path = m_dir.filePath("edited.json").toStdString();
        (void)base::realFiles().write(path, text);
        return load(path);
    }
    base::Result<Recipe> loadEdited(const std::function<void(json&)>& edit)
    {
        json j = m_plain;
        edit(j);
        return loadText(j.dump());
    }

private slots:
    void initTestCase()
    {
        m_packed = support::writeDemo(m_dir, 3);
        QVERIFY(unpack(m_packed, m_dir.path().toStdString(), true)); // the reference lies there already
        m_plain = json::parse(*base::readFile(m_dir.filePath("recipe.json").toStdString()));
    }
    void packedFolderAndPlainAreTheSame()
    {
        const auto a = load(m_packed), b = load(m_dir.path().toStdString()),
                   c = load(m_dir.filePath("recipe.json").toStdString());
        QVERIFY(a && b && c);
        const std::string folder = m_dir.path().toStdString();
        QCOMPARE(toJson(*a, folder).dump(), toJson(*b, folder).dump());
        QCOMPARE(toJson(*a, folder).dump(), toJson(*c, folder).dump());
        QVERIFY(a->reference.fingerprint == b->reference.fingerprint && !a->reference.empty());
        QCOMPARE(int(a->steps.size()), 13);
        QCOMPARE(a->trials[2].label == Label::Bad, true);
    }
    void packingIsReproducible()
    {
        const std::string again = m_dir.filePath("again.dikkat").toStdString();
        QVERIFY(pack(m_dir.path().toStdString(), again));
        QVERIFY(*base::readFile(again) == *base::readFile(m_packed));
    }
    void trialPathsMoveWithTheRecipe()
    {
        const auto r = load(m_packed);
        const json here = toJson(*r, m_dir.path().toStdString());
        QCOMPARE(here["trials"][0]["picture"].get<std::string>(), std::string("plate-001.png"));
        QTemporaryDir other;
        const json there = toJson(*r, other.path().toStdString());
        QVERIFY(there["trials"][0]["picture"].get<std::string>().front() == '/');
    }
    void everyCutOfAPackedRecipeIsAnError()
    {
        const std::string bytes = *base::readFile(m_packed), path = m_dir.filePath("cut.dikkat").toStdString();
        for (std::size_t n = 0; n < bytes.size(); n += 1 + bytes.size() / 60) {
            (void)base::realFiles().write(path, bytes.substr(0, n));
            const auto r = load(path);
            QVERIFY(!r && !r.error().message.empty() && r.error().text().find("cut.dikkat") != std::string::npos);
        }
    }
    void damagedMembersAreNamed()
    {
        std::string bytes = *base::readFile(m_packed);
        bytes[bytes.size() / 2] = char(bytes[bytes.size() / 2] ^ 0x55); // inside the stored reference
        const std::string path = m_dir.filePath("damaged.dikkat").toStdString();
        (void)base::realFiles().write(path, bytes);
        const auto r = load(path);
        QVERIFY(!r && r.error().code == ErrorCode::Corrupt);
        QVERIFY2(r.error().text().find("reference.png") != std::string::npos, r.error().text().c_str());
    }
    void archivesThatLeaveTheirFolderAreRefused()
    {
        const std::string path = m_dir.filePath("evil.dikkat").toStdString();
        (void)base::realFiles().write(path, *base::writeZip({{"../recipe.json", "{}"}}));
        QVERIFY(!load(path));
    }
    void errorsNameFileFieldAndBound_data()
    {
        QTest::addColumn<QString>("pointer");
        QTest::addColumn<QString>("value");
        QTest::addColumn<QString>("says");
        const auto row = [](const char* name, const char* pointer, const char* value, const char* says) {
            QTest::newRow(name) << pointer << value << says;
        };
        row("newer version", "/version", "99", "made by a newer program");
        row("another format", "/format", "\"other\"", "\"dikkat-recipe\" is expected");
        row("unknown field", "/colour", "1", "unknown field \"colour\"");
        row("unknown field in a step", "/steps/0/colour", "1", "steps[0]: unknown field \"colour\"");
        row("unknown kind", "/steps/0/kind", "\"magic\"", "unknown kind \"magic\"; known are pattern");
        row("newer kind", "/steps/0/version", "7", "saved by a newer program");
        row("unknown setting", "/steps/0/params/x", "1", "unknown field \"x\"");
        row("setting out of range", "/steps/0/params/least_score", "3", "least_score = 3 is outside 0.2 .. 1");
        row("setting of the wrong type", "/steps/0/params/least_score", "\"a\"", "least_score must be a number");
        row("choice that is none", "/steps/4/params/rule", "\"a\"",
            "rule = \"a\" is not one of: outermost, innermost, numbered");
        row("a region that is none", "/steps/4/regions/window", "7", "regions: window: must be an object");
        row("region without width", "/steps/4/regions/window", R"({"shape":"window","from":[0,0],"to":[9,9]})",
            "width is missing");
        row("a width of nothing", "/steps/4/regions/window/width", "0", "width must be greater than 0 px");
        row("a shape that does not fit", "/steps/4/regions/window", R"({"shape":"circle","centre":[0,0],"radius":3})",
            "shape \"circle\" does not fit; possible are window");
        row("unknown region", "/steps/4/regions/other", R"({"shape":"whole"})", "no such region");
        row("point that is none", "/steps/0/points/origin", "[1]", "must be [x, y] in px");
        row("unknown input", "/steps/5/inputs/third", "\"s\"", "no such input");
        row("limits the wrong way round", "/steps/6/checks/1/low", "80", "low = 80 is above high = 50");
        row("unknown unit", "/steps/4/checks/0/unit", "\"ell\"", "unknown unit \"ell\"");
        row("negative tolerance", "/steps/4/checks/0/minus", "-0.05", "minus = -0.05 is outside 0");
        row("unknown output", "/steps/4/checks/0/output", "\"x\"", "output \"x\" is not one of kind \"edge_pair\"");
        row("label that is none", "/trials/0/label", "\"fine\"", "label = \"fine\" is not one of: good, bad, open");
        row("no scale at all", "/calibration/mm_per_px", "0", "mm_per_px = 0 is outside 1e-06 .. 1000");
        row("id twice", "/steps/1/id", "\"plate\"", "id \"plate\" stands twice");
        row("circle of steps", "/steps/0/datum", "\"width\"", "read each other in a circle");
        row("reference not there", "/assets/reference/file", "\"none.png\"", "none.png");
        row("reference no picture", "/assets/reference/file", "\"truth.json\"", "not a picture");
        row("of version 1", "/reference", R"({"picture": "reference.png"})", "stands under assets");
        row("of version 2", "/version", "1", "needs \"version\": 2");
        row("steps no list", "/steps", "3", "steps: must be a list");
    }
    void errorsNameFileFieldAndBound()
    {
        QFETCH(QString, pointer);
        QFETCH(QString, value);
        QFETCH(QString, says);
        const auto r = loadEdited(
            [&](json& j) { j[json::json_pointer(pointer.toStdString())] = json::parse(value.toStdString()); });
        QVERIFY(!r);
        QVERIFY2(r.error().text().find(says.toStdString()) != std::string::npos, r.error().text().c_str());
        QVERIFY(r.error().text().find("edited.json") != std::string::npos ||
                r.error().text().find("none.png") != std::string::npos);
    }
    void notJsonSaysWhere()
    {
        const auto r = loadText("{\"format\": \"dikkat-recipe\",\n \"version\": }");
        QVERIFY(!r && r.error().message.find("line 2") != std::string::npos);
        QVERIFY(!loadText("") && !loadText("[]") && !loadText("null") && !loadText("\"x\"") &&
                !load(m_dir.filePath("gone.dikkat").toStdString()));
    }
    void aHandWrittenRecipeNeedsLittle()
    {
        const auto r = loadText(
            R"({"format":"dikkat-recipe","version":1,"steps":[{"id":"w","kind":"edge_pair","regions":{"window":{"shape":"window","from":[5,5],"to":[90,5],"width":9}},"checks":[{"low":10,"unit":"px"}]}]})");
        QVERIFY2(r.has_value(), r ? "" : r.error().text().c_str());
        QCOMPARE(r->steps[0].checks[0].output, std::string("distance"));
        QCOMPARE(r->steps[0].checks[0].balloon, 1);
    }
    void limitsOnLengthsNeedAUnit()
    {
        const auto r = loadEdited([](json& j) { j["steps"][4]["checks"][0].erase("unit"); });
        QVERIFY(!r && r.error().message.find("need a unit") != std::string::npos);
    }
    void orderFollowsDependence()
    {
        auto r = *load(m_packed);
        std::reverse(r.steps.begin(), r.steps.end());
        const auto order = orderByDependence(r.steps);
        QVERIFY(order);
        std::set<std::string> seen;
        for (const int i : *order) {
            for (const auto& id : Recipe::reads(r.steps[std::size_t(i)])) QVERIFY(seen.count(id));
            seen.insert(r.steps[std::size_t(i)].id);
        }
        QCOMPARE(seen.size(), r.steps.size());
    }
    void saveFailsWholeOrNotAtAll()
    {
        const auto r = *load(m_packed);
        QVERIFY(!save(r, m_dir.filePath("no/such/folder/x.dikkat").toStdString()));
        const std::string path = m_dir.filePath("kept.dikkat").toStdString();
        QVERIFY(save(r, path));
        const std::string before = *base::readFile(path);
        class Full : public base::FileSystem
        {
        public:
            base::Result<std::string> read(const std::string& p) override { return base::realFiles().read(p); }
            base::Status write(const std::string& p, const std::string& b) override
            {
                (void)base::realFiles().write(p, b.substr(0, b.size() / 2));
                return base::fail(ErrorCode::Io, "no space left", p);
            }
            base::Status sync(const std::string& p) override { return base::realFiles().sync(p); }
            base::Status rename(const std::string& a, const std::string& b) override
            {
                return base::realFiles().rename(a, b);
            }
            base::Status remove(const std::string& p) override { return base::realFiles().remove(p); }
        } full;
        const auto e = save(r, path, full);
        QVERIFY(!e && e.error().message == "no space left");
        QVERIFY(*base::readFile(path) == before && !QFile::exists(QString::fromStdString(path) + ".part"));
    }
    void limitsAreReadAsTyped_data()
    {
        QTest::addColumn<QString>("typed");
        QTest::addColumn<double>("low");
        QTest::addColumn<double>("high");
        QTest::addColumn<QString>("text");
        QTest::newRow("plus minus") << "26 +-0.05" << 25.95 << 26.05 << "26 ±0.05";
        QTest::newRow("sign") << "26 ±0,05" << 25.95 << 26.05 << "26 ±0.05";
        QTest::newRow("own sides") << "26 +0.1 -0.05" << 25.95 << 26.1 << "26 +0.1 −0.05";
        QTest::newRow("range") << "25.9..26.1" << 25.9 << 26.1 << "25.9 .. 26.1";
        QTest::newRow("at least") << ">= 0.65" << 0.65 << 1e9 << "≥ 0.65";
        QTest::newRow("at most") << "≤0.2" << -1e9 << 0.2 << "≤ 0.2";
        QTest::newRow("exact") << " 10 " << 10.0 << 10.0 << "10";
        QTest::newRow("negative") << "-3 .. -1" << -3.0 << -1.0 << "-3 .. -1";
    }
    void limitsAreReadAsTyped()
    {
        QFETCH(QString, typed);
        QFETCH(double, low);
        QFETCH(double, high);
        QFETCH(QString, text);
        const auto l = parseLimits(typed.toStdString(), base::Unit::Millimetre);
        QVERIFY2(l.has_value(), l ? "" : l.error().text().c_str());
        QVERIFY(std::abs(l->lowest().value_or(-1e9) - low) < 1e-9 &&
                std::abs(l->highest().value_or(1e9) - high) < 1e-9);
        QCOMPARE(QString::fromStdString(l->text()), text);
        QCOMPARE(parseLimits(l->text(), base::Unit::Millimetre)->text(), l->text());
    }
    void nonsenseIsNoLimit()
    {
        for (const char* typed :
             {"abc", "26 +-", "5 .. 3", "26 27", "+", ">= x", "1 .. 2 .. 3", "26 +-0.1 mile", "26 mm +-0.1"})
            QVERIFY2(!parseLimits(typed, base::Unit::None), typed);
        QVERIFY(!parseLimits("", base::Unit::None)->any());
    }
    void endsAreIncludedAndSharesAreRight()
    {
        Limits l = *parseLimits("26 +0.1 -0.05", base::Unit::Millimetre);
        QVERIFY(l.holds(25.95) && l.holds(26.1) && !l.holds(26.1000001) && !l.holds(25.9499999));
        QCOMPARE(*l.share(26), 0.0);
        QVERIFY(std::abs(*l.share(26.05) - 0.5) < 1e-9 && std::abs(*l.share(25.975) - 0.5) < 1e-9);
        QVERIFY(!parseLimits(">= 3", base::Unit::None)->share(4));
        l.setHighest(26.2);
        QVERIFY(std::abs(l.plus - 0.2) < 1e-9 && l.minus == 0.05);
    }
    void schemaAndStepPageAreCurrent()
    {
        QCOMPARE(QString::fromStdString(*base::readFile(SOURCE_DIR "/docs/recipe.schema.json")),
                 QString::fromStdString(jsonSchema().dump(2) + "\n"));
    }
};
QTEST_APPLESS_MAIN(RecipeTest)
#include "recipe_test.moc"
