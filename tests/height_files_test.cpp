// Heights from files: float and signed TIFF, scales beside the picture, point clouds; what is missing stays missing.
#include "image/capture_files.h"
#include "image/point_cloud.h"
#include "support.h"

#include <cmath>
#include <cstring>
#include <limits>
#include <tiffio.h>

using namespace image;

namespace
{
constexpr double kGone = std::numeric_limits<double>::quiet_NaN();

// One sample a pixel of any number type, written by the library alone; `none` goes into the tag of geographic programs.
template <class T>
std::string tiffOf(const QString& path, int w, int h, int format, bool tiled, const char* none,
                   const std::function<double(int, int)>& z)
{
    static const TIFFFieldInfo tag[] = {{42113, -1, -1, TIFF_ASCII, FIELD_CUSTOM, 1, 0, const_cast<char*>("NoData")}};
    TIFF* t = TIFFOpen(path.toLocal8Bit().constData(), "w");
    TIFFMergeFieldInfo(t, tag, 1);
    TIFFSetField(t, TIFFTAG_IMAGEWIDTH, w);
    TIFFSetField(t, TIFFTAG_IMAGELENGTH, h);
    TIFFSetField(t, TIFFTAG_SAMPLESPERPIXEL, 1);
    TIFFSetField(t, TIFFTAG_BITSPERSAMPLE, int(8 * sizeof(T)));
    TIFFSetField(t, TIFFTAG_SAMPLEFORMAT, format);
    TIFFSetField(t, TIFFTAG_PHOTOMETRIC, PHOTOMETRIC_MINISBLACK);
    TIFFSetField(t, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
    if (none) TIFFSetField(t, 42113, none);
    if (tiled) {
        TIFFSetField(t, TIFFTAG_TILEWIDTH, 16);
        TIFFSetField(t, TIFFTAG_TILELENGTH, 16);
        for (int y = 0; y < h; y += 16)
            for (int x = 0; x < w; x += 16) {
                std::vector<T> tile(256);
                for (int k = 0; k < 256; ++k) tile[std::size_t(k)] = T(z(x + k % 16, y + k / 16));
                TIFFWriteTile(t, tile.data(), std::uint32_t(x), std::uint32_t(y), 0, 0);
            }
    } else {
        for (int y = 0; y < h; ++y) {
            std::vector<T> line;
            for (int x = 0; x < w; ++x) line.push_back(T(z(x, y)));
            TIFFWriteScanline(t, line.data(), std::uint32_t(y), 0);
        }
    }
    TIFFClose(t);
    return path.toStdString();
}
template <class T> void put(std::string& to, T v, bool big)
{
    char b[sizeof(T)];
    std::memcpy(b, &v, sizeof(T));
    if (big) std::reverse(b, b + sizeof(T));
    to.append(b, sizeof(T));
}
} // namespace

class HeightFilesTest : public QObject
{
    Q_OBJECT
    QTemporaryDir m_dir;
    std::string path(const char* leaf) const { return m_dir.filePath(leaf).toStdString(); }
    std::string write(const char* leaf, const std::string& bytes)
    {
        (void)base::realFiles().write(path(leaf), bytes);
        return path(leaf);
    }
    static double at(const Capture& c, int x, int y)
    {
        const auto h = c.height();
        return h->missing(x, y) ? kGone : h->mm(x, y);
    }
    std::string deep(const char* leaf, int level)
    {
        Image p(6, 4, PixelFormat::Grey16);
        for (int y = 0; y < 4; ++y)
            for (int x = 0; x < 6; ++x)
                reinterpret_cast<std::uint16_t*>(p.row(y))[x] = std::uint16_t(x == 0 ? 0 : level + x);
        return write(leaf, *encodePng(p));
    }

private slots:
    void floatTiffIsHeightInMm()
    {
        const auto z = [](int x, int y) { return x == 3 ? kGone : x == 4 ? 4e38 : -2.5 + 0.25 * x + y; };
        for (const bool tiled : {false, true}) {
            const auto c =
                loadCapture(tiffOf<float>(m_dir.filePath("f.tif"), 40, 30, SAMPLEFORMAT_IEEEFP, tiled, nullptr, z));
            QVERIFY2(c.has_value(), c ? "" : c.error().text().c_str());
            QVERIFY(c->first().content == Content::Height && c->height());
            QCOMPARE(at(*c, 2, 7), -2.5 + 0.5 + 7);
            QVERIFY(std::isnan(at(*c, 3, 1)) && std::isnan(at(*c, 4, 1))); // beyond every height
            QVERIFY(c->grey().error().message.find("heights, not light") != std::string::npos);
            // To be looked at it is grey, with black where nothing is.
            QVERIFY(c->first().grey().levelAt(3, 1) == 0 && c->first().grey().levelAt(39, 29) > 250);
        }
        const auto d = loadCapture(tiffOf<double>(m_dir.filePath("d.tif"), 9, 5, SAMPLEFORMAT_IEEEFP, false, "-9999",
                                                  [](int x, int y) { return x == y ? -9999 : 0.125 * x; }));
        QVERIFY(d && at(*d, 8, 1) == 1 && std::isnan(at(*d, 2, 2)));
        const auto whole =
            loadCapture(tiffOf<std::int16_t>(m_dir.filePath("i.tif"), 9, 5, SAMPLEFORMAT_INT, true, "-32768",
                                             [](int x, int y) { return x == y ? -32768 : -10 * x; }));
        QVERIFY2(whole && at(*whole, 8, 1) == -80 && std::isnan(at(*whole, 3, 3)), "signed");
        const auto long32 = loadCapture(tiffOf<std::int32_t>(m_dir.filePath("l.tif"), 9, 5, SAMPLEFORMAT_INT, false,
                                                             nullptr, [](int x, int) { return -100000 + x; }));
        QVERIFY(long32 && at(*long32, 8, 1) == -99992);
        // Where the recipe takes the picture for light it is refused, not squeezed into grey.
        const Naming light{{"white", "{id}.tif", {}}};
        const auto refused = loadCapture(path("f.tif"), light);
        QVERIFY(!refused && refused.error().message.find("\"white\" holds heights") != std::string::npos);
        // Steps of another size.
        const Naming metres{{"z", "{id}.tif", HeightScale{1000, 0, 0, {}, {}}}};
        QCOMPARE(at(*loadCapture(path("d.tif"), metres), 8, 1), 1000.0);
    }
    void whatIsWrittenIsReadAgain()
    {
        Image p(37, 21, PixelFormat::Real32);
        for (int y = 0; y < 21; ++y)
            for (int x = 0; x < 37; ++x)
                reinterpret_cast<float*>(p.row(y))[x] = x == y ? float(kGone) : float(x) * 0.37F - float(y);
        const auto bytes = encodeTiff(p);
        QVERIFY(bytes);
        const auto back = decode(*bytes, "x.tif");
        QVERIFY(back && back->format() == PixelFormat::Real32);
        for (int y = 0; y < 21; ++y)
            for (int x = 0; x < 37; ++x) {
                const float a = reinterpret_cast<const float*>(p.row(y))[x],
                            b = reinterpret_cast<const float*>(back->row(y))[x];
                QVERIFY(a == b || (std::isnan(a) && std::isnan(b)));
            }
        QVERIFY(!decode(bytes->substr(0, bytes->size() / 2), "cut.tif"));
    }
    void aScaleBesideThePicture()
    {
        const std::string png = deep("a.png", 1000);
        QVERIFY(loadCapture(png)->first().content == Content::Grey);
        write("a.scale.json", R"({"mm_per_step": 0.001, "offset_mm": -2, "pixel_mm": 0.05, "missing": 0})");
        const auto c = loadCapture(png);
        QVERIFY2(c.has_value(), c ? "" : c.error().text().c_str());
        QCOMPARE(at(*c, 2, 1), -2 + 0.001 * 1002);
        QVERIFY(std::isnan(at(*c, 0, 0)) && c->first().scale->pixelMm == 0.05);
        // It goes before the recipe's.
        const Naming other{{"z", "{id}.png", HeightScale{1, 0, 0, {}, {}}}};
        QCOMPARE(at(*loadCapture(png, other), 2, 1), -2 + 0.001 * 1002);
        // What is kept carries it along, and is still a picture to everybody.
        const auto files = readCapture({}, png);
        QVERIFY(files && decode(*files->front().bytes, "a.png"));
        QVERIFY(QFile::remove(path("a.scale.json").c_str()));
        const std::string kept = write("kept.png", *files->front().bytes);
        QCOMPARE(at(*loadCapture(kept), 2, 1), -2 + 0.001 * 1002);
        const auto again = captureOf({}, *files, "kept");
        QVERIFY(again && again->first().content == Content::Height && again->first().file);
        // A new scale beside what was kept replaces the old one.
        write("kept.scale.json", R"({"mm_per_step": 1})");
        QCOMPARE(at(*loadCapture(kept), 2, 1), 1002.0);
        const std::string before = stampOf({}, kept);
        write("kept.scale.json", R"({"mm_per_step": 0.25})");
        QVERIFY(stampOf({}, kept) != before);
    }
    void aWrongScaleIsNamed_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<QString>("said");
        QTest::newRow("no JSON") << "0.1 mm"
                                 << "is no JSON object";
        QTest::newRow("unknown") << R"({"mm_per_stp": 1})"
                                 << "mm_per_stp";
        QTest::newRow("text") << R"({"offset_mm": "two"})"
                              << "offset_mm must be a number";
        QTest::newRow("zero") << R"({"mm_per_step": 0})"
                              << "mm_per_step = 0; 1e-09 to 1e+06";
        QTest::newRow("negative") << R"({"pixel_mm": -1})"
                                  << "pixel_mm = -1";
        QTest::newRow("broken cells") << R"({"width": 12.5, "height": 4})"
                                      << "width = 12.5; must be a whole number";
    }
    void aWrongScaleIsNamed()
    {
        QFETCH(QString, text);
        QFETCH(QString, said);
        const std::string png = deep("w.png", 5);
        write("w.scale.json", text.toStdString());
        const auto c = loadCapture(png);
        QVERIFY(!c);
        const QString error = QString::fromStdString(c.error().text());
        QVERIFY2(error.contains(said) && error.contains("w.scale.json"), qPrintable(error));
    }
    void eightBitAndColourAreNoHeights()
    {
        Image p(6, 4, PixelFormat::Colour8);
        const std::string png = write("c.png", *encodePng(p));
        write("c.scale.json", R"({"mm_per_step": 0.001})");
        QVERIFY(loadCapture(png).error().message.find("16 bit") != std::string::npos);
    }

    // ---- point clouds
    void plyInEveryStorage()
    {
        // 7 × 5 points 0.5 mm apart, one missing; further properties and a list before and after.
        for (const std::string storage : {"ascii", "binary_little_endian", "binary_big_endian"}) {
            const bool text = storage == "ascii", big = storage == "binary_big_endian";
            std::string body;
            int points = 0;
            for (int y = 0; y < 5; ++y)
                for (int x = 0; x < 7; ++x) {
                    if (x == 2 && y == 3) continue;
                    ++points;
                    const double z = 0.1 * x + y;
                    if (text) {
                        body += "200 " + std::to_string(0.5 * x) + " " + std::to_string(-0.5 * y) + " 2 7 8 " +
                                std::to_string(z) + "\n";
                        continue;
                    }
                    put(body, std::uint8_t(200), big);
                    put(body, float(0.5 * x), big);
                    put(body, double(-0.5 * y), big);
                    put(body, std::uint8_t(2), big);
                    put(body, std::int16_t(7), big);
                    put(body, std::int16_t(8), big);
                    put(body, float(z), big);
                }
            std::string file = "ply\nformat " + storage +
                               " 1.0\ncomment made up\nelement camera 1\nproperty uchar on\n"
                               "element vertex " +
                               std::to_string(points) +
                               "\nproperty uchar red\nproperty float x\nproperty double y\n"
                               "property list uchar short near\nproperty float z\n"
                               "element face 1\nproperty list uchar int vertex_indices\nend_header\n";
            file += text ? "1\n" : std::string(1, '\1');
            file += body + (text ? "3 0 1 2\n" : std::string());
            const std::string ply = write("cloud.ply", file);
            const auto without = loadCapture(ply);
            QVERIFY(!without && without.error().message.find("about 0.5 mm apart") != std::string::npos);
            const Naming n{{"z", "{id}.ply", HeightScale{1, 0, 0.5, {}, {}}}};
            const auto c = loadCapture(ply, n);
            QVERIFY2(c.has_value(), c ? "" : c.error().text().c_str());
            QVERIFY(c->width() == 7 && c->rows() == 5);
            QVERIFY(std::abs(at(*c, 3, 2) - 2.3) < 1e-6 && std::abs(at(*c, 6, 4) - 4.6) < 1e-6);
            QVERIFY(std::isnan(at(*c, 2, 3)));
            // Cut off anywhere it is refused by name.
            for (const std::size_t size : {file.size() / 2, file.find("end_header") + 20, file.find("vertex") + 3}) {
                const auto cut = decodeCloud(file.substr(0, size), HeightScale{1, 0, 0.5, {}, {}}, "cut.ply");
                QVERIFY(!cut && cut.error().where == "cut.ply");
            }
        }
    }
    void linesOfNumbers()
    {
        const std::string text =
            "X;Y;Z\n# remark\n0;0;1.5\n1.0, 0, 2.5\r\n0\t-1\t+3.5\n\n1 -1 nan\n 0 -2 1e1 255 0 0\n1 -2 4\n1 -2 5\n";
        const HeightScale scale{1, 0, 1, {}, {}};
        const auto p = decodeCloud(text, scale, "p.xyz");
        QVERIFY2(p.has_value(), p ? "" : p.error().text().c_str());
        QVERIFY(p->width() == 2 && p->height() == 3);
        const auto z = [&](int x, int y) { return reinterpret_cast<const float*>(p->row(y))[x]; };
        QVERIFY(z(0, 0) == 1.5F && z(1, 0) == 2.5F && z(0, 1) == 3.5F && std::isnan(z(1, 1)));
        QVERIFY(z(0, 2) == 10 && z(1, 2) == 4.5F); // two points in a cell: their mean
        const auto bad = decodeCloud("0 0 1\n0 x 1\n", scale, "p.xyz");
        QVERIFY(!bad && bad.error().text().find("line 2") != std::string::npos);
        QVERIFY(decodeCloud("# nothing\n", scale, "p.xyz").error().code == base::ErrorCode::NoResult);
        // A raster that is stated: what lies beside it is passed over, and it does not move with the points.
        HeightScale fixed{1, 0, 0.5, {}, {-1, 1, 6, 8}};
        const auto f = decodeCloud(text + "400 0 1\n", fixed, "p.xyz");
        QVERIFY(f && f->width() == 6 && f->height() == 8);
        QVERIFY(reinterpret_cast<const float*>(f->row(2))[2] == 1.5F &&
                std::isnan(reinterpret_cast<const float*>(f->row(0))[0]));
    }
    void boundsOfCloudsAreNamed()
    {
        const auto far = decodeCloud("0 0 1\n100000 100000 1\n", HeightScale{1, 0, 0.01, {}, {}}, "far.xyz");
        QVERIFY(!far && far.error().code == base::ErrorCode::OutOfRange &&
                far.error().message.find("6.4e+07") != std::string::npos);
        for (const char* header :
             {"ply\n", "ply\nformat ascii 1.0\n", "ply\nformat odd 1.0\nelement vertex 1\nend_header\n",
              "ply\nformat ascii 1.0\nelement vertex 99999999999\nproperty float x\nproperty float y\nproperty float "
              "z\nend_header\n1 2 3\n",
              "ply\nformat ascii 1.0\nelement vertex x\nend_header\n",
              "ply\nformat ascii 1.0\nelement face 0\nend_header\n",
              "ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nproperty float y\nend_header\n1 2\n",
              "ply\nformat binary_little_endian 1.0\nelement vertex 1\nproperty list int int x\nproperty float "
              "y\nproperty "
              "float z\nend_header\n\xff\xff\xff\x7f"}) {
            const auto r = decodeCloud(header, HeightScale{1, 0, 1, {}, {}}, "h.ply");
            QVERIFY2(!r && r.error().where == "h.ply", header);
        }
    }
    void aCloudBesideGreyIsOneCapture()
    {
        const Naming both{{"light", "{id}.png", {}}, {"z", "{id}.xyz", HeightScale{1, 0, 1, {}, {0, 0, 6, 4}}}};
        deep("both.png", 9);
        write("both.xyz", "0 0 1\n5 -3 2\n");
        const auto c = loadCapture(path("both.xyz"), both);
        QVERIFY2(c.has_value(), c ? "" : c.error().text().c_str());
        QVERIFY(c->grey("light") && c->height("z")->mm(5, 3) == 2 && c->height("z")->missing(1, 1));
        // Heights alone, whatever the file's kind.
        const Naming any{{"z", "{id}", HeightScale{1, 0, 1, {}, {}}}};
        QVERIFY(loadCapture(path("both.xyz"), any)->width() == 6);
    }
};
QTEST_GUILESS_MAIN(HeightFilesTest)
#include "height_files_test.moc"
