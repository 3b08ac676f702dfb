#include "../support.h"
#include "recipe/expression.h"
#include "recipe/naming.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class FormulaTest : public QObject
{
    Q_OBJECT
    static base::Result<double> of(const std::string& text)
    {
        return recipe::evaluateFormula(text, {{"a", {base::Unit::None, false, {6}}},
                                              {"b.x", {base::Unit::Millimetre, false, {1.5}}},
                                              {"list", {base::Unit::None, true, {3, 1, 2}}},
                                              {"none", {base::Unit::None, true, {}}}});
    }
private slots:
    void arithmeticListsAndLogic()
    {
        for (const auto& [text, truth] :
             std::vector<std::pair<std::string, double>>{{"1 + 2 * 3", 7},
                                                         {"[a] / 4", 1.5},
                                                         {"2 ^ 3 ^ 2", 512},
                                                         {"-2 ^ 2", -4},
                                                         {"([a] - [b.x]) * 2", 9},
                                                         {"sum([list])", 6},
                                                         {"mean( [list] )", 2},
                                                         {"count([list]) == 3", 1},
                                                         {"minof([list])", 1},
                                                         {"maxof([list])", 3},
                                                         {"spread([list])", 1},
                                                         {"countabove([list], 1.5)", 2},
                                                         {"countbelow([list], 1.5)", 1},
                                                         {"element([list], 1)", 3},
                                                         {"element([list], -1)", 2},
                                                         {"[a] > 5 and [b.x] < 1", 0},
                                                         {"[a] > 5 or [b.x] < 1", 1},
                                                         {"not ([a] > 5)", 0},
                                                         {"[a] != 6", 0},
                                                         {"min(4, [a], 9)", 4},
                                                         {"max(4, [a], 9)", 9},
                                                         {"abs(-3)", 3},
                                                         {"sqrt(16)", 4},
                                                         {"round(2.6)", 3},
                                                         {"count([none])", 0},
                                                         {"sum([none])", 0},
                                                         {"sum([list]) / count([list])", 2}}) {
            const auto v = of(text);
            QVERIFY2(v.has_value(), (text + ": " + (v ? "" : v.error().message)).c_str());
            QVERIFY2(std::abs(*v - truth) < 1e-12, (text + " = " + std::to_string(*v)).c_str());
        }
    }
    void errorsNameTheCharacter()
    {
        for (const auto& [text, place, word] : std::vector<std::tuple<std::string, std::string, std::string>>{
                 {"[a] = 6", "character 5", "=="},
                 {"[a] + [nobody]", "character 7", "nobody"},
                 {"1 + [list]", "character 5", "list"},
                 {"sum([a])", "character 5", "one value"},
                 {"sum([list] [list])", "character 5", "in the list"},
                 {"sum(3)", "character 5", "list"},
                 {"2 * (3 + 4", "character", "bracket"},
                 {"foo + 1", "character 1", "foo"},
                 {"1 +", "character", "early"}}) {
            const auto v = of(text);
            QVERIFY2(!v, text.c_str());
            QVERIFY2(v.error().message.find(place) != std::string::npos &&
                         v.error().message.find(word) != std::string::npos,
                     (text + ": " + v.error().message).c_str());
        }
    }
    void whatHasNoValueIsNotMeasured()
    {
        for (const char* text : {"1 / 0", "1 / 0 > 5", "[a] / ([b.x] - 1.5)", "element([list], 4)",
                                 "element([list], 0)", "mean([none])", "sqrt(-1)"}) {
            const auto v = of(text);
            QVERIFY2(!v && v.error().code == base::ErrorCode::NoResult, text);
        }
    }
    void namesBecomeIdsAndRenamingBreaksNothing()
    {
        recipe::Recipe r;
        chain(r, "area_share", "s1",
              [](recipe::Step& s) { put(s, "mode", std::string("fixed")), s.name = "Left half"; });
        chain(r, "formula", "f", [](recipe::Step& s) {
            put(s, "expression", std::string("[Left half] * 2 + [s1.area]"));
            put(s, "unit", std::string("%"));
        });
        QTemporaryDir dir;
        const std::string path = dir.filePath("r.json").toStdString();
        QVERIFY(recipe::save(r, path));
        auto again = recipe::load(path);
        QVERIFY2(again.has_value(), again ? "" : again.error().text().c_str());
        const auto text =
            std::get<std::string>(recipe::findKind("formula")->param("expression")->get(again->steps[1].params));
        QCOMPARE(text, std::string("[s1] * 2 + [s1.area]"));
        again->steps[0].name = "Other";
        QCOMPARE(recipe::withNames(text, *again), std::string("[Other] * 2 + [Other.area]"));
        image::Image p(20, 10, image::PixelFormat::Grey8);
        std::fill_n(p.row(0), 100, std::uint8_t(200));
        const auto result = runChain(*again, std::move(p));
        QCOMPARE(value(result, "f", "value"), 200.0);
        QVERIFY(result.items[0].step("f")->output("value")->unit == base::Unit::Percent);
    }
};
QTEST_APPLESS_MAIN(FormulaTest)
#include "formula_test.moc"
