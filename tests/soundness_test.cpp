// What is wrong with a recipe in itself is said without a picture: where, by which bound, and what there is to choose
// from.
#include "cli/commands.h"
#include "recipe/soundness.h"
#include "support.h"

#include <nlohmann/json.hpp>
#include <sstream>

using namespace support;
using nlohmann::json;

class SoundnessTest : public QObject
{
    Q_OBJECT
    QTemporaryDir m_dir;
    json m_demo;
    std::ostringstream m_out, m_err;

    int call(const std::vector<std::string>& arguments)
    {
        m_out.str({}), m_err.str({});
        return cli::run(arguments, m_out, m_err);
    }
    // The demo recipe edited, as a file beside the demo's pictures.
    std::string edited(const std::function<void(json&)>& edit)
    {
        json j = m_demo;
        edit(j);
        const std::string file = m_dir.filePath("plain/edited.json").toStdString();
        if (!base::realFiles().write(file, j.dump())) qFatal("cannot write");
        return file;
    }
    static json& step(json& j, const std::string& id)
    {
        for (auto& s : j["steps"])
            if (s["id"] == id) return s;
        qFatal("no step %s", id.c_str());
    }
    // Every line on the error stream, for `inspect` and for `check`; both refuse.
    std::string refused(const std::function<void(json&)>& edit)
    {
        const std::string file = edited(edit);
        if (call({"check", file}) != 2) return "check takes it";
        const std::string said = m_out.str();
        if (call({"inspect", file, m_dir.filePath("plate-001.png").toStdString()}) != 2) return "inspect takes it";
        for (std::istringstream lines(m_err.str()); std::getline(lines, m_line);)
            if (said.find(m_line.substr(std::string("dikkat-cli: ").size())) == std::string::npos)
                return "check does not say: " + m_line;
        return m_err.str();
    }
    std::string m_line;

private slots:
    void initTestCase()
    {
        writeDemo(m_dir, 3);
        const std::string plain = m_dir.filePath("plain").toStdString();
        QVERIFY(recipe::unpack(m_dir.filePath("reed-plate.dikkat").toStdString(), plain));
        m_demo = json::parse(*base::readFile(plain + "/recipe.json"));
    }

    void aSoundRecipeIsSound()
    {
        QCOMPARE(call({"check", edited([](json&) {})}), 0);
        QVERIFY(m_out.str().find("nothing is wrong") != std::string::npos);
        QCOMPARE(call({"check", m_dir.filePath("reed-plate.dikkat").toStdString(), "--json", "-"}), 0);
        const json j = json::parse(m_out.str());
        QVERIFY(j["sound"] == true && j["wrong"].empty());
        QCOMPARE(call({"check"}), 2);
        QCOMPARE(call({"check", m_dir.filePath("gone.json").toStdString()}), 2);
    }
    void whatIsWrongIsNamed_data()
    {
        QTest::addColumn<std::function<void(json&)>>("edit");
        QTest::addColumn<QStringList>("words");
        const auto row = [](const char* name, std::function<void(json&)> edit, const QStringList& words) {
            QTest::newRow(name) << edit << words;
        };
        row("datum gone", [](json& j) { step(j, "width")["datum"] = "gone"; },
            {"steps[", "\"width\": datum: \"gone\" is no step of the recipe; there are \"plate\""});
        row("datum is none", [](json& j) { step(j, "width")["datum"] = "top"; },
            {"\"top\" is a step of kind \"line\", no datum; there are \"plate\""});
        row("input gone", [](json& j) { step(j, "edge")["inputs"]["first"] = "gone"; },
            {"inputs: first: \"gone\" is no step of the recipe; there are", "\"hole_left\""});
        row("input missing", [](json& j) { step(j, "edge")["inputs"].erase("second"); },
            {"inputs: second: is missing; there are"});
        row("input of another sort", [](json& j) { step(j, "burr_top")["inputs"]["of"] = "slots"; },
            {"inputs: of: \"slots\" (blobs) gives a group, not one of: line, circle"});
        row("region not drawn", [](json& j) { step(j, "width")["regions"] = json::object(); },
            {"regions: window: is missing: a region must be drawn; possible shapes are window"});
        row("region is no result",
            [](json& j) {
                step(j, "slots")["regions"]["region"] = {{"shape", "result"}, {"of", "gone"}};
            },
            {"regions: region: of: \"gone\" is no step"});
        row("region outside",
            [](json& j) {
                step(j, "width")["regions"]["window"] = {
                    {"shape", "window"}, {"from", {5000, 50}}, {"to", {5100, 50}}, {"width", 9}};
            },
            {"regions: window: lies outside the reference of 816 × 683 px: x 5000 .. 5100"});
        row("pattern outside",
            [](json& j) {
                step(j,
                     "plate")["regions"]["part"] = {{"shape", "rectangle"}, {"centre", {-500, 50}}, {"size", {90, 90}}};
            },
            {"regions: part: lies outside the reference"});
        row("crossing polygon",
            [](json& j) {
                step(j, "slots")["regions"]["region"] = {{"shape", "polygon"},
                                                         {"points", {{10, 10}, {200, 200}, {200, 10}, {10, 200}}}};
            },
            {"polygon: the side from points[0] crosses the one from points[2]"});
        row("formula names nothing", [](json& j) { step(j, "slot_fit")["params"]["expression"] = "[gone] - 1"; },
            {"params: expression: at character 1: \"gone\" is no step"});
        row("formula names no value",
            [](json& j) { step(j, "slot_fit")["params"]["expression"] = "2 * [width.girth]"; },
            {"at character 5: step \"width\" (edge_pair) has no value \"girth\"; there are distance, edges, angle"});
        row("formula with a decimal comma",
            [](json& j) { step(j, "slot_fit")["params"]["expression"] = "[width] - 26,5"; },
            {"at character 13", "comma"});
        row("a name two steps bear",
            [](json& j) {
                step(j, "top")["name"] = step(j, "bottom")["name"] = "Edge";
                step(j, "slot_fit")["params"]["expression"] = "[Edge.length]";
            },
            {"2 steps are named \"Edge\": use the id"});
        row("rule", [](json& j) { j["rule"] = "[gone] == 1"; }, {"rule: at character 1: \"gone\" is no step"});
        row("low above high",
            [](json& j) {
                step(j, "slots")["params"].update(json{{"mode", "fixed"}, {"low", 200}, {"high", 100}});
            },
            {"params: low = 200 is above high = 100"});
        row("least above most",
            [](json& j) {
                step(j, "slots")["params"].update(json{{"least_area", 900}, {"most_area", 100}});
            },
            {"params: least_area = 900 is above most_area = 100"});
        row("nominal alone",
            [](json& j) {
                auto& c = step(j, "width")["checks"][0];
                c.erase("plus"), c.erase("minus");
            },
            {"checks[0]: nominal: 26 alone judges nothing"});
        row("limits crossed",
            [](json& j) {
                auto& c = step(j, "plate")["checks"][0];
                c["low"] = 0.9, c["high"] = 0.2;
            },
            {"low", "0.9", "0.2"});
        row("filter that filters nothing",
            [](json& j) {
                step(j, "slots")["filters"] = {{{"output", "present"}, {"low", 1}}};
            },
            {"output \"present\" filters no object of kind \"blobs\"; possible are areas"});
        row("misspelt field",
            [](json& j) {
                step(j, "slots")["regions"]["region"] = {{"shape", "circle"}, {"center", {100, 100}}, {"radius", 20}};
            },
            {"unknown field \"center\"; centre is missing; known are"});
        row("unknown output", [](json& j) { step(j, "width")["checks"][0]["output"] = "girth"; },
            {"output \"girth\" is not one of kind \"edge_pair\"; there are distance"});
        row("unknown input", [](json& j) { step(j, "edge")["inputs"]["third"] = "top"; },
            {"inputs: third: kind \"distance\" has no such input; there are first, second"});
        row("unknown region",
            [](json& j) {
                step(j, "width")["regions"]["area"] = {{"shape", "whole"}};
            },
            {"regions: area: kind \"edge_pair\" has no such region; there are window"});
        row("unknown setting", [](json& j) { step(j, "width")["params"]["girth"] = 1; },
            {"unknown field \"girth\"; kind \"edge_pair\" has rule"});
        row("no reference", [](json& j) { j.erase("assets"); }, {"reference: is missing"});
        row("general tolerance without a class",
            [](json& j) {
                auto& c = step(j, "width")["checks"][0];
                c.erase("plus"), c.erase("minus"), c["general"] = "length";
            },
            {"checks[0]: general: needs general_tolerance"});
    }
    void whatIsWrongIsNamed()
    {
        QFETCH(std::function<void(json&)>, edit);
        QFETCH(QStringList, words);
        const QString said = QString::fromStdString(refused(edit));
        for (const QString& w : words) QVERIFY2(said.contains(w), qPrintable(said));
        QVERIFY(said.contains("edited.json"));
    }
    void theKeysOfTheFileAreUsed()
    {
        // Every word of a message that names a field is a key; the form's labels are for the window.
        const QString said =
            QString::fromStdString(refused([](json& j) { step(j, "burr_top")["inputs"].erase("of"); }));
        QVERIFY(said.contains("inputs: of") && !said.contains("Line or circle"));
    }
    void severalThingsAreSaidAtOnce()
    {
        const QString said = QString::fromStdString(refused([](json& j) {
            step(j, "width")["datum"] = "gone";
            step(j, "edge")["inputs"]["first"] = "gone";
            j["rule"] = "[nobody]";
        }));
        QCOMPARE(said.count('\n'), 3);
    }
    void theWindowsRecipeOpensToBeMended()
    {
        // What cannot work is refused headless; it is still a recipe that can be opened.
        const auto opened = recipe::load(edited([](json& j) { step(j, "width")["datum"] = "gone"; }));
        QVERIFY(opened);
        QCOMPARE(int(recipe::unsound(*opened).size()), 1);
    }
    void repeatedKeysNestingAndSizesAreRefused()
    {
        const std::string file = m_dir.filePath("plain/raw.json").toStdString();
        const auto load = [&](const std::string& text) -> QString {
            if (!base::realFiles().write(file, text)) return "cannot write";
            const auto r = recipe::load(file);
            return r ? "taken" : QString::fromStdString(r.error().text());
        };
        QVERIFY(load("{\"format\":\"dikkat-recipe\",\"version\":1,\"steps\":[{\"id\":\"a\",\"id\":\"b\",\"kind\":"
                     "\"line\"}]}")
                    .contains("the field steps: id stands twice"));
        QVERIFY(load(std::string("{\"format\":\"dikkat-recipe\",\"version\":1,\"steps\":") + std::string(3000, '[') +
                     std::string(3000, ']') + "}")
                    .contains("nested deeper than 64 levels"));
        QVERIFY(load(std::string(40u << 20, ' ')).contains("at most 33554432 are read"));
        std::string many = "{\"format\":\"dikkat-recipe\",\"version\":1,\"steps\":[";
        for (int i = 0; i < 5001; ++i)
            many += std::string(i ? "," : "") + "{\"id\":\"s" + std::to_string(i) + "\",\"kind\":\"formula\"}";
        QVERIFY(load(many + "]}").contains("must be a list of at most 5000"));
        // Within the bounds a long chain is quick.
        std::string chain = "{\"format\":\"dikkat-recipe\",\"version\":1,\"steps\":[{\"id\":\"s0\",\"kind\":"
                            "\"formula\",\"params\":{\"expression\":\"1\"}}";
        for (int i = 1; i < 4000; ++i)
            chain += ",{\"id\":\"s" + std::to_string(i) + "\",\"kind\":\"formula\",\"params\":{\"expression\":\"[s" +
                     std::to_string(i - 1) + "] + 1\"}}";
        QVERIFY(base::realFiles().write(file, chain + "]}"));
        const auto r = recipe::load(file);
        QVERIFY2(r, r ? "" : r.error().text().c_str());
        const auto result = runChain(*r, draw({}, 64, 64));
        QCOMPARE(result.items.front().steps.back()->output("value")->values.front(), 4000.0);
        // The empty picture is stated like the reference.
        QVERIFY(load("{\"format\":\"dikkat-recipe\",\"version\":1,\"empty_picture\":{\"picture\":\"none.png\",\"taken_"
                     "from\":\"x\"}}")
                    .contains("empty_picture"));
    }
};
QTEST_GUILESS_MAIN(SoundnessTest)
#include "soundness_test.moc"
