// calibrate, map, target, repeat and study as a person types them.
#include "base/files.h"
#include "cli/commands.h"
#include "demo/targets.h"
#include "geometry/calibration.h"
#include "inspect/repeatability.h"
#include "support.h"

#include <QProcess>
#include <nlohmann/json.hpp>
#include <sstream>

using geometry::Point;
using nlohmann::json;

class MeasuringCliTest : public QObject
{
    Q_OBJECT
    QTemporaryDir m_dir;
    std::ostringstream m_out, m_err;
    std::vector<std::string> m_boards, m_dots;
    demo::Field m_field{816, 683, 0.156};

    int call(const std::vector<std::string>& arguments)
    {
        m_out.str({}), m_err.str({});
        return cli::run(arguments, m_out, m_err);
    }
    std::string at(const std::string& leaf) const { return m_dir.filePath(QString::fromStdString(leaf)).toStdString(); }
    std::vector<std::string> calibrateWith(std::vector<std::string> words, const std::string& kind,
                                           const std::vector<std::string>& pictures) const
    {
        std::vector<std::string> all{"calibrate", "--target", kind,      "--columns", "15",
                                     "--rows",    "12",       "--pitch", "8.5"};
        all.insert(all.end(), words.begin(), words.end());
        all.insert(all.end(), pictures.begin(), pictures.end());
        return all;
    }
    // The camera the pictures were made with, out of their own file.
    geometry::Camera trueCamera() const
    {
        const json j = json::parse(*base::readFile(at("truth.json")))["camera"];
        return {j["fx"], j["fy"], j["cx"], j["cy"], j["k1"], j["k2"], j["k3"], j["p1"], j["p2"]};
    }

private slots:
    void initTestCase()
    {
        QVERIFY(demo::writeTargets(m_dir.path().toStdString(), 5, 6, m_field));
        for (int i = 1; i <= 6; ++i)
            m_boards.push_back(at("board-0" + std::to_string(i) + ".png")),
                m_dots.push_back(at("dots-0" + std::to_string(i) + ".png"));
    }
    void theReportHasThePromisedKeys_data()
    {
        QTest::addColumn<QString>("kind");
        QTest::newRow("checkerboard") << "checkerboard";
        QTest::newRow("dots") << "dots";
    }
    void theReportHasThePromisedKeys()
    {
        QFETCH(QString, kind);
        const auto& pictures = kind == "dots" ? m_dots : m_boards;
        QCOMPARE(call(calibrateWith({"--json", "-", "--out", at("c.json")}, kind.toStdString(), pictures)), 0);
        const json j = json::parse(m_out.str());
        for (const char* key : {"rms_px", "max_px", "fx", "fy", "cx", "cy", "k1", "k2", "p1", "p2", "k3", "scale"})
            QVERIFY2(j[key].is_number(), key);
        QCOMPARE(j["pictures"].size(), pictures.size());
        for (const auto& p : j["pictures"]) QVERIFY(p["found"] == true && p["points"].get<int>() >= 12);
        QVERIFY(j["rms_px"].get<double>() < 0.05 && j["max_px"].get<double>() >= j["rms_px"].get<double>());
        // Undistorted places agree with the camera that made the pictures, whatever each coefficient is.
        const geometry::Camera made = trueCamera(),
                               found{j["fx"], j["fy"], j["cx"], j["cy"], j["k1"], j["k2"], j["k3"], j["p1"], j["p2"]};
        std::vector<Point> a, b;
        for (int y = 60; y < m_field.height - 60; y += 24)
            for (int x = 60; x < m_field.width - 60; x += 24)
                a.push_back(made.normal({double(x), double(y)})), b.push_back(found.normal({double(x), double(y)}));
        // Shift and scale of the whole are taken up by the poses.
        Point ma, mb;
        for (std::size_t i = 0; i < a.size(); ++i)
            ma = ma + a[i] * (1.0 / double(a.size())), mb = mb + b[i] * (1.0 / double(b.size()));
        double ab = 0, bb = 0, square = 0;
        for (std::size_t i = 0; i < a.size(); ++i)
            ab += geometry::dot(a[i] - ma, b[i] - mb), bb += geometry::dot(b[i] - mb, b[i] - mb);
        for (std::size_t i = 0; i < a.size(); ++i) {
            const Point d = (a[i] - ma) - (b[i] - mb) * (ab / bb);
            square += geometry::dot(d, d) * made.fx * made.fx;
        }
        const double off = std::sqrt(square / double(a.size()));
        QVERIFY2(off < 0.05, qPrintable(QString::number(off)));
        // The same report is a calibration that can be used.
        QVERIFY(base::readFile(at("c.json")).value() == m_out.str());
    }
    void placesAreMappedBothWays()
    {
        QCOMPARE(call(calibrateWith({"--out", at("c.json")}, "checkerboard", m_boards)), 0);
        QCOMPARE(call({"map", at("c.json"), "--to", "mm", "400,340", "150.5,600.25", "-20,10"}), 0);
        std::istringstream lines(m_out.str());
        std::vector<std::string> mm;
        for (std::string line; std::getline(lines, line);) mm.push_back(line);
        QCOMPARE(int(mm.size()), 3);
        QVERIFY(m_err.str().find("-20,10 lies outside") != std::string::npos &&
                m_err.str().find("400,340") == std::string::npos);
        QCOMPARE(call({"map", at("c.json"), "--to", "px", mm[0], mm[1]}), 0);
        std::istringstream back(m_out.str());
        for (const Point want : {Point{400, 340}, Point{150.5, 600.25}}) {
            Point p;
            char comma = 0;
            QVERIFY(back >> p.x >> comma >> p.y);
            QVERIFY2(geometry::distance(p, want) < 1e-6, qPrintable(QString("%1 %2").arg(p.x).arg(p.y)));
        }
        // Distances in mm are those of the target's own plane.
        const json truth = json::parse(*base::readFile(at("truth.json")));
        const json& pose = truth["pictures"][0];
        geometry::Calibration::Lens l;
        l.width = m_field.width, l.height = m_field.height, l.camera = trueCamera();
        for (std::size_t i = 0; i < 3; ++i)
            l.plane.turn[i] = pose["rotation"][i], l.plane.shift[i] = pose["translation"][i];
        const auto seen = geometry::Calibration::lens(l, "");
        const auto point = [](const std::string& text) {
            return Point{std::stod(text), std::stod(text.substr(text.find(',') + 1))};
        };
        const double want = geometry::distance(seen.mm({400, 340}), seen.mm({150.5, 600.25})),
                     got = geometry::distance(point(mm[0]), point(mm[1]));
        QVERIFY2(std::abs(want - got) < 0.002, qPrintable(QString("%1 %2").arg(want).arg(got)));
    }
    void unitsOfThePitchAreTheSameTarget()
    {
        QCOMPARE(call(calibrateWith({"--json", "-"}, "checkerboard", {m_boards[0], m_boards[1]})), 0);
        const double mm = json::parse(m_out.str())["scale"];
        std::vector<std::string> other{"calibrate", "--target",  "checkerboard", "--columns", "15", "--rows",
                                       "12",        "--pitch",   "8500",         "--unit",    "um", "--json",
                                       "-",         m_boards[0], m_boards[1]};
        QCOMPARE(call(other), 0);
        QVERIFY(std::abs(json::parse(m_out.str())["scale"].get<double>() - mm) < 1e-9);
        other[8] = base::shortest(8.5 / 25.4), other[10] = "in";
        QCOMPARE(call(other), 0);
        QVERIFY(std::abs(json::parse(m_out.str())["scale"].get<double>() - mm) < 1e-9);
    }
    void theMeasuringPlaneIsThePictureThatIsNamed()
    {
        QCOMPARE(call(calibrateWith({"--json", "-", "--plane", "board-03.png"}, "checkerboard", m_boards)), 0);
        QCOMPARE(json::parse(m_out.str())["plane"].get<std::string>(), at("board-03.png"));
        QCOMPARE(call(calibrateWith({"--plane", "board-99.png"}, "checkerboard", m_boards)), 2);
        QVERIFY(m_err.str().find("board-99.png is not one of the pictures") != std::string::npos);
    }
    void aPictureWithoutATargetIsSaidAndTheRestIsUsed()
    {
        QVERIFY(demo::writeReedPlates(at("plates"), 1, 1, m_field));
        auto pictures = m_boards;
        pictures.push_back(at("plates/plate-001.png")), pictures.push_back(at("gone.png"));
        QCOMPARE(call(calibrateWith({"--json", "-"}, "checkerboard", pictures)), 0);
        const json j = json::parse(m_out.str());
        QVERIFY(j["pictures"][6]["found"] == false &&
                j["pictures"][6]["why"].get<std::string>().find("no target") == 0);
        QVERIFY(j["pictures"][7]["found"] == false && !j["pictures"][7]["why"].get<std::string>().empty());
        QVERIFY(j["rms_px"].get<double>() < 0.05);
        QCOMPARE(call(calibrateWith({"--json", "-"}, "checkerboard", {at("plates/plate-001.png")})), 2);
        QVERIFY(json::parse(m_out.str())["pictures"][0]["found"] == false); // the report still says why
    }
    void aRecipeTakesItAndConvertsItsLimits()
    {
        const std::string recipe = support::writeDemo(m_dir, 1);
        QCOMPARE(call(calibrateWith({"--recipe", recipe}, "checkerboard", m_boards)), 0);
        const auto r = recipe::load(recipe);
        QVERIFY(r && r->calibration.bends());
        QVERIFY(recipe::foreignLimits(*r).empty());
    }
    void badInputNamesFieldAndBound()
    {
        const std::pair<std::vector<std::string>, std::string> cases[] = {
            {{"calibrate"}, "--target is missing"},
            {{"calibrate", "--target", "circles"}, "--target = circles is not one of"},
            {{"calibrate", "--target", "dots", "--columns", "5", "--rows", "4"}, "--pitch is missing"},
            {{"calibrate", "--target", "dots", "--columns", "2", "--rows", "4", "--pitch", "5", "x.png"},
             "--columns = 2"},
            {{"calibrate", "--target", "dots", "--columns", "5", "--rows", "4", "--pitch", "-5", "x.png"},
             "--pitch = -5"},
            {{"calibrate", "--target", "dots", "--columns", "5", "--rows", "4", "--pitch", "5", "--unit", "px",
              "x.png"},
             "--unit = px"},
            {{"calibrate", "--target", "dots", "--columns", "5", "--rows", "4", "--pitch", "5"},
             "at least one picture"},
            {{"map"}, "--to is missing"},
            {{"map", "c.json", "--to", "inch", "1,2"}, "--to = inch"},
            {{"map", at("gone.json"), "--to", "mm", "1,2"}, "gone.json"},
            {{"map", at("truth.json"), "--to", "mm", "1,2"}, "truth.json"},
            {{"target", "--target", "dots", "--columns", "5", "--rows", "4", "--pitch", "5"}, "target takes one file"},
            {{"target", "--target", "dots", "--columns", "5", "--rows", "4", "--pitch", "5", "--dot", "5", at("t.pdf")},
             "dot = 5"},
            {{"repeat", at("reed-plate.dikkat")}, "at least one picture"},
            {{"study"}, "study takes"},
            {{"study", at("gone.csv")}, "gone.csv"}};
        for (const auto& [arguments, says] : cases) {
            QCOMPARE(call(arguments), 2);
            QVERIFY2(m_err.str().find(says) != std::string::npos, (says + " | " + m_err.str()).c_str());
        }
        QCOMPARE(call(calibrateWith({"--out", at("c.json")}, "checkerboard", m_boards)), 0);
        for (const char* word : {"1", "1;2", "a,b", "1,2,3", "1,nan", "1e300,2"}) {
            QCOMPARE(call({"map", at("c.json"), "--to", "mm", word}), 2);
            QVERIFY2(m_err.str().find("is not X,Y") != std::string::npos, word);
        }
    }
    void repeatedPicturesGiveCapability()
    {
        const std::string recipe = support::writeDemo(m_dir, 2);
        QCOMPARE(call({"repeat", recipe, at("plate-001.png"), "--copies", "12", "--noise", "2", "--json", "-", "--pdf",
                       at("repeat.pdf"), "--paper", "letter"}),
                 0);
        QVERIFY(base::readFile(at("repeat.pdf"))->starts_with("%PDF-1."));
        const json j = json::parse(m_out.str());
        bool seen = false;
        for (const auto& c : j["checks"])
            if (c["name"] == "Width") {
                seen = true;
                QCOMPARE(c["n"].get<int>(), 12);
                const double s = c["spread"], cg = c["cg"];
                QVERIFY(s > 0 && s < 0.01);
                QVERIFY(std::abs(cg - 0.2 * 0.1 / (6 * s)) < 1e-9 * cg);
                QVERIFY(std::abs(c["uncertainty"].get<double>() - 2 * s) < 1e-12);
            }
        QVERIFY(seen);
        // With a true value: bias and Cgk; every true value has to name a check.
        QCOMPARE(call({"repeat", recipe, at("plate-001.png"), "--copies", "12", "--noise", "2", "--truth",
                       "Width=26.004", "--json", "-"}),
                 0);
        const json known = json::parse(m_out.str());
        for (const auto& c : known["checks"]) {
            if (c["name"] != "Width") {
                QVERIFY(c["bias"].is_null() && c["cgk"].is_null());
                continue;
            }
            const double bias = c["bias"], s = c["spread"];
            QVERIFY(std::abs(bias - (c["mean"].get<double>() - 26.004)) < 1e-12);
            QVERIFY(std::abs(c["cgk"].get<double>() - (0.1 * 0.1 - std::abs(bias)) / (3 * s)) < 1e-9);
            QVERIFY(std::abs(c["uncertainty"].get<double>() - 2 * std::sqrt(s * s + bias * bias / 3)) < 1e-12);
        }
        QCOMPARE(call({"repeat", recipe, at("plate-001.png"), "--copies", "3", "--truth", "Widht=26"}), 2);
        QVERIFY(m_err.str().find("--truth names \"Widht\"") != std::string::npos);
        QCOMPARE(call({"repeat", recipe, at("plate-001.png"), "--copies", "3", "--truth", "Width"}), 2);
        QCOMPARE(call({"repeat", recipe, at("plate-001.png"), "--copies", "12", "--noise", "2", "--json", "-"}), 0);
        // The same seed gives the same copies.
        const std::string first = m_out.str();
        QCOMPARE(call({"repeat", recipe, at("plate-001.png"), "--copies", "12", "--noise", "2", "--json", "-"}), 0);
        QVERIFY(m_out.str() == first);
    }
    void aStudyOfPictures()
    {
        // Two parts, two persons, twice each: the same plate taken again with fresh noise.
        const std::string recipe = support::writeDemo(m_dir, 2);
        std::vector<std::string> words{"study", recipe, "--check", "Width", "--json", "-"};
        std::vector<double> values;
        for (const int part : {1, 2})
            for (const char* person : {"anna", "ben"})
                for (const int take : {1, 2}) {
                    const auto plate = image::loadCapture(at("plate-00" + std::to_string(part) + ".png"));
                    QVERIFY(plate);
                    const auto copy = inspect::noisyCopy(plate->first().pixels, 1.5,
                                                         std::uint64_t(part * 100 + take * 10 + person[0]));
                    words.push_back(
                        at("p" + std::to_string(part) + "-" + person + "-" + std::to_string(take) + ".png"));
                    QVERIFY(base::realFiles().write(words.back(), *image::encodePng(copy)));
                    QVERIFY(call({"inspect", recipe, words.back(), "--json", "-"}) < 2);
                    const json answer = json::parse(m_out.str());
                    for (const auto& c : answer["pictures"][0]["items"][0]["checks"])
                        if (c["name"] == "Width") values.push_back(c["value"]);
                }
        QCOMPARE(call(words), 0);
        const json j = json::parse(m_out.str());
        QVERIFY(j["parts"] == 2 && j["persons"] == 2 && j["repeats"] == 2);
        QCOMPARE(int(values.size()), 8);
        double mean = 0, total = 0;
        for (const double v : values) mean += v / 8;
        for (const double v : values) total += (v - mean) * (v - mean);
        for (const auto& row : j["table"])
            if (row["source"] == "total")
                QVERIFY2(std::abs(row["ss"].get<double>() - total) < 1e-12,
                         qPrintable(QString("%1 %2 of %3").arg(row["ss"].get<double>()).arg(total).arg(values.size())));
        QVERIFY(j["components"][0]["percent_of_tolerance"].is_number()); // of the check's own limits
        words.push_back(at("plate-001.png")), words.push_back(at("truth.json"));
        QCOMPARE(call(words), 2);
        QVERIFY(m_err.str().find("plate-001.png: the name does not say part-person-take") != std::string::npos);
        words.resize(words.size() - 2), words[3] = "Widht";
        QCOMPARE(call(words), 2);
        QVERIFY(m_err.str().find("--check = Widht") != std::string::npos);
    }
    void aStudyOfAFile()
    {
        QVERIFY(base::realFiles().write(
            at("s.csv"),
            "part,person,value\na,x,1.0\na,x,1.2\na,y,1.1\na,y,1.3\nb,x,2.0\nb,x,2.2\nb,y,2.1\nb,y,2.1\n"));
        QCOMPARE(call({"study", at("s.csv"), "--tolerance", "1", "--json", "-", "--pdf", at("s.pdf")}), 0);
        {
            QProcess text;
            text.start("pdftotext", {"-layout", QString::fromStdString(at("s.pdf")), "-"});
            QVERIFY2(text.waitForFinished() && text.exitCode() == 0, "pdftotext of poppler-utils reads the PDF");
            const QString said = QString::fromUtf8(text.readAllStandardOutput());
            const auto told = json::parse(m_out.str());
            QVERIFY(said.contains("Study of the gauge") && said.contains("page 1 of 1"));
            for (const auto& c : told["components"]) // the same figures
                QVERIFY2(said.contains(QString::number(c["percent_of_total"].get<double>(), 'f', 2)), qPrintable(said));
        }
        QCOMPARE(call({"study", at("s.csv"), "--pdf", at("s.csv")}), 2);
        QCOMPARE(call({"study", at("s.csv"), "--pdf", at("x.pdf"), "--paper", "a3"}), 2);
        QCOMPARE(call({"study", at("s.csv"), "--tolerance", "1", "--json", "-"}), 0);
        const json j = json::parse(m_out.str());
        QVERIFY(j["parts"] == 2 && j["persons"] == 2 && j["repeats"] == 2);
        // Sum of squares of the parts: each half lies 0.475 off the mean of 1.625, times 8 values.
        bool part = false;
        for (const auto& row : j["table"])
            if (row["source"] == "part") part = std::abs(row["ss"].get<double>() - 8 * 0.475 * 0.475) < 1e-9;
        QVERIFY(part);
        QVERIFY(base::realFiles().write(at("b.csv"), "a,x,1\na,x,much\n"));
        QCOMPARE(call({"study", at("b.csv")}), 2);
        QVERIFY(m_err.str().find("b.csv") != std::string::npos && m_err.str().find("line 2") != std::string::npos);
    }
};
QTEST_MAIN(MeasuringCliTest)
#include "measuring_cli_test.moc"
