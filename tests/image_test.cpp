#include "image/capture_files.h"
#include "image/png_rows.h"

#include <QtTest>
#include <cstdio>
#include <jpeglib.h>
#include <png.h>
#include <random>
#include <tiffio.h>

using namespace image;

namespace
{
std::string jpegOf(int width, int height, int components)
{
    jpeg_compress_struct c{};
    jpeg_error_mgr e{};
    c.err = jpeg_std_error(&e);
    jpeg_create_compress(&c);
    unsigned char* out = nullptr;
    unsigned long size = 0;
    jpeg_mem_dest(&c, &out, &size);
    c.image_width = JDIMENSION(width), c.image_height = JDIMENSION(height), c.input_components = components;
    c.in_color_space = components == 1 ? JCS_GRAYSCALE : JCS_RGB;
    jpeg_set_defaults(&c);
    jpeg_set_quality(&c, 98, TRUE);
    jpeg_start_compress(&c, TRUE);
    std::vector<JSAMPLE> line(std::size_t(width * components));
    for (int y = 0; y < height; ++y) {
        for (int x = 0; x < width; ++x)
            for (int k = 0; k < components; ++k)
                line[std::size_t(x * components + k)] = JSAMPLE((x * 2 + y + 40 * k) & 255);
        JSAMPROW row = line.data();
        jpeg_write_scanlines(&c, &row, 1);
    }
    jpeg_finish_compress(&c);
    std::string bytes(reinterpret_cast<char*>(out), size);
    jpeg_destroy_compress(&c);
    std::free(out);
    return bytes;
}

std::string tiffOf(const QString& path, int width, int height, int bits, int samples, bool tiled = false,
                   bool inverted = false)
{
    TIFF* t = TIFFOpen(path.toLocal8Bit().constData(), "w");
    TIFFSetField(t, TIFFTAG_IMAGEWIDTH, width);
    TIFFSetField(t, TIFFTAG_IMAGELENGTH, height);
    TIFFSetField(t, TIFFTAG_BITSPERSAMPLE, bits);
    TIFFSetField(t, TIFFTAG_SAMPLESPERPIXEL, samples);
    TIFFSetField(t, TIFFTAG_PHOTOMETRIC,
                 samples == 3 ? PHOTOMETRIC_RGB
                 : inverted   ? PHOTOMETRIC_MINISWHITE
                              : PHOTOMETRIC_MINISBLACK);
    TIFFSetField(t, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
    if (bits == 32) TIFFSetField(t, TIFFTAG_SAMPLEFORMAT, SAMPLEFORMAT_IEEEFP);
    const auto value = [&](int x, int y, int k) {
        return bits == 16 ? (x * 257 + y * 3 + k * 1000) & 65535 : (x + y + k * 20) & 255;
    };
    if (tiled) {
        TIFFSetField(t, TIFFTAG_TILEWIDTH, 16);
        TIFFSetField(t, TIFFTAG_TILELENGTH, 16);
        std::vector<std::uint8_t> tile(256);
        for (int y0 = 0; y0 < height; y0 += 16)
            for (int x0 = 0; x0 < width; x0 += 16) {
                for (int y = 0; y < 16; ++y)
                    for (int x = 0; x < 16; ++x) tile[std::size_t(16 * y + x)] = std::uint8_t(value(x0 + x, y0 + y, 0));
                TIFFWriteTile(t, tile.data(), std::uint32_t(x0), std::uint32_t(y0), 0, 0);
            }
    } else {
        std::vector<std::uint8_t> line(std::size_t(width * samples * bits / 8));
        for (int y = 0; y < height; ++y) {
            for (int x = 0; x < width; ++x)
                for (int k = 0; k < samples; ++k) {
                    if (bits == 16)
                        reinterpret_cast<std::uint16_t*>(line.data())[x * samples + k] = std::uint16_t(value(x, y, k));
                    else if (bits == 8)
                        line[std::size_t(x * samples + k)] =
                            std::uint8_t(inverted ? 255 - value(x, y, k) : value(x, y, k));
                }
            TIFFWriteScanline(t, line.data(), std::uint32_t(y));
        }
    }
    TIFFClose(t);
    QFile f(path);
    (void)f.open(QIODevice::ReadOnly);
    return f.readAll().toStdString();
}

Image ramp(PixelFormat format, int width = 37, int height = 23)
{
    Image p(width, height, format);
    for (int y = 0; y < height; ++y)
        for (std::size_t i = 0; i < p.rowBytes(); ++i) p.row(y)[i] = std::uint8_t(i * 7 + std::size_t(y) * 13);
    return p;
}
bool same(const Image& a, const Image& b)
{
    return a.width() == b.width() && a.height() == b.height() && a.format() == b.format() &&
           std::equal(a.row(0), a.row(0) + a.byteCount(), b.row(0));
}
} // namespace

namespace
{
std::string pngOf(const Image& p, int filters, bool interlaced)
{
    std::string out;
    png_structp png = png_create_write_struct(PNG_LIBPNG_VER_STRING, nullptr, nullptr, nullptr);
    png_infop info = png_create_info_struct(png);
    png_set_write_fn(
        png, &out,
        [](png_structp to, png_bytep from, png_size_t n) {
            static_cast<std::string*>(png_get_io_ptr(to))->append(reinterpret_cast<char*>(from), n);
        },
        nullptr);
    png_set_filter(png, 0, filters);
    png_set_IHDR(png, info, png_uint_32(p.width()), png_uint_32(p.height()), 8 * bytesPerSample(p.format()),
                 channels(p.format()) == 3 ? PNG_COLOR_TYPE_RGB : PNG_COLOR_TYPE_GRAY,
                 interlaced ? PNG_INTERLACE_ADAM7 : PNG_INTERLACE_NONE, PNG_COMPRESSION_TYPE_BASE,
                 PNG_FILTER_TYPE_BASE);
    png_write_info(png, info);
    if (bytesPerSample(p.format()) == 2) png_set_swap(png);
    png_set_interlace_handling(png);
    std::vector<png_bytep> rows;
    for (int y = 0; y < p.height(); ++y) rows.push_back(const_cast<png_bytep>(p.row(y)));
    png_write_image(png, rows.data());
    png_write_end(png, nullptr);
    png_destroy_write_struct(&png, &info);
    return out;
}
} // namespace

class ImageTest : public QObject
{
    Q_OBJECT
    QTemporaryDir m_dir;
private slots:
    void pngKeepsEveryBit()
    {
        for (const PixelFormat f :
             {PixelFormat::Grey8, PixelFormat::Grey16, PixelFormat::Colour8, PixelFormat::Colour16})
            for (const int level : {1, 9}) {
                const Image p = ramp(f);
                const auto bytes = encodePng(p, level);
                QVERIFY(bytes);
                const auto back = decode(*bytes, "x.png");
                QVERIFY(back && same(p, *back));
                QCOMPARE(*encodePng(p, level), *bytes);
            }
    }
    void jpegIsRead()
    {
        const auto grey = decode(jpegOf(64, 48, 1), "g.jpg");
        QVERIFY(grey && grey->format() == PixelFormat::Grey8 && grey->width() == 64 && grey->height() == 48);
        QVERIFY(std::abs(int(grey->row(10)[20]) - 50) <= 4);
        const auto colour = decode(jpegOf(64, 48, 3), "c.jpg");
        QVERIFY(colour && colour->format() == PixelFormat::Colour8);
    }
    void tiffIsRead()
    {
        const auto grey = decode(tiffOf(m_dir.filePath("a.tif"), 40, 30, 8, 1), "a.tif");
        QVERIFY(grey && grey->format() == PixelFormat::Grey8);
        QCOMPARE(int(grey->row(5)[7]), 12);
        const auto deep = decode(tiffOf(m_dir.filePath("b.tif"), 40, 30, 16, 1), "b.tif");
        QVERIFY(deep && deep->format() == PixelFormat::Grey16);
        QCOMPARE(int(reinterpret_cast<const std::uint16_t*>(deep->row(2))[3]), 3 * 257 + 6);
        const auto colour = decode(tiffOf(m_dir.filePath("c.tif"), 40, 30, 16, 3), "c.tif");
        QVERIFY(colour && colour->format() == PixelFormat::Colour16);
        const auto tiled = decode(tiffOf(m_dir.filePath("d.tif"), 40, 30, 8, 1, true), "d.tif");
        QVERIFY(tiled && same(*grey, *tiled));
        const auto inverted = decode(tiffOf(m_dir.filePath("e.tif"), 40, 30, 8, 1, false, true), "e.tif");
        QVERIFY(inverted && same(*grey, *inverted));
    }
    void floatColourIsRefusedByName()
    {
        const auto r = decode(tiffOf(m_dir.filePath("f.tif"), 8, 8, 32, 3), "f.tif");
        QVERIFY(!r && r.error().code == base::ErrorCode::Unsupported &&
                r.error().message.find("float") != std::string::npos);
    }
    // Written by the library with one filter at a time; interlaced files take the long way, so both ways are compared.
    void theShortWayGivesTheSamePicture()
    {
        std::mt19937 random(5);
        for (const PixelFormat format :
             {PixelFormat::Grey8, PixelFormat::Grey16, PixelFormat::Colour8, PixelFormat::Colour16})
            for (const auto& [w, h] : {std::pair{1, 1}, {1, 9}, {17, 1}, {37, 23}, {256, 40}}) {
                Image p(w, h, format);
                // Smooth with noise, so that every filter has something to do.
                for (int y = 0; y < h; ++y)
                    for (std::size_t i = 0; i < p.rowBytes(); ++i)
                        p.row(y)[i] = std::uint8_t(y * 3 + int(i) * 2 + int(random() % 9));
                const auto same = [&](const Image& other) {
                    return other.format() == format && other.width() == w && other.height() == h &&
                           std::equal(p.row(0), p.row(0) + p.byteCount(), other.row(0));
                };
                for (const int filter : {PNG_FILTER_NONE, PNG_FILTER_SUB, PNG_FILTER_UP, PNG_FILTER_AVG,
                                         PNG_FILTER_PAETH, PNG_ALL_FILTERS}) {
                    const std::string plain = pngOf(p, filter, false), interlaced = pngOf(p, filter, true);
                    const auto direct = readUsualPng(plain);
                    QVERIFY(direct && same(*direct));
                    QVERIFY(!readUsualPng(interlaced));
                    QVERIFY(same(*decode(interlaced, "i.png")) && same(*decode(plain, "p.png")));
                }
            }
        // A bit that is wrong anywhere is never taken for the picture; what is cut off neither.
        Image p(19, 7, PixelFormat::Grey8);
        for (std::size_t i = 0; i < p.byteCount(); ++i) p.row(0)[i] = std::uint8_t(random());
        const std::string good = pngOf(p, PNG_FILTER_PAETH, false);
        for (std::size_t i = 0; i < good.size() * 8; ++i) {
            std::string bad = good;
            bad[i / 8] = char(bad[i / 8] ^ (1 << i % 8));
            QVERIFY2(!readUsualPng(bad), std::to_string(i).c_str());
        }
        for (std::size_t n = 0; n < good.size(); ++n) QVERIFY(!readUsualPng(good.substr(0, n)));
    }
    void colourIsMeasuredAsGrey()
    {
        Image p(1, 1, PixelFormat::Colour8);
        p.row(0)[0] = 200, p.row(0)[1] = 100, p.row(0)[2] = 50;
        const Capture c = makeCapture(std::move(p), "c");
        QCOMPARE(c.first().grey().levelAt(0, 0), double((299 * 200 + 587 * 100 + 114 * 50 + 500) / 1000));
        QVERIFY(c.first().content == Content::Colour && channels(c.first().pixels.format()) == 3);
    }
    void sixteenBitLevelsAreOnTheSameScale()
    {
        Image p(2, 1, PixelFormat::Grey16);
        reinterpret_cast<std::uint16_t*>(p.row(0))[0] = 65535;
        reinterpret_cast<std::uint16_t*>(p.row(0))[1] = 257 * 100 + 128;
        QCOMPARE(p.grey().levelAt(0, 0), 255.0);
        QVERIFY(std::abs(p.grey().levelAt(1, 0) - 100.498) < 0.001);
    }
    void everyCutIsAnErrorOrTheWholePicture_data()
    {
        QTest::addColumn<QByteArray>("bytes");
        QTest::newRow("png") << QByteArray::fromStdString(*encodePng(ramp(PixelFormat::Grey8)));
        QTest::newRow("jpeg") << QByteArray::fromStdString(jpegOf(40, 30, 1));
        QTest::newRow("tiff") << QByteArray::fromStdString(tiffOf(m_dir.filePath("t.tif"), 20, 10, 8, 1));
    }
    void everyCutIsAnErrorOrTheWholePicture()
    {
        QFETCH(QByteArray, bytes);
        const auto whole = decode(bytes.toStdString(), "whole");
        QVERIFY(whole);
        int errors = 0;
        for (int n = 0; n < bytes.size(); ++n) {
            const auto r = decode(bytes.left(n).toStdString(), "cut");
            if (r) { // only bytes after the pixels were missing
                QVERIFY2(same(*r, *whole), qPrintable(QString::number(n)));
            } else {
                QVERIFY(!r.error().message.empty() && r.error().where == "cut");
                ++errors;
            }
        }
        QVERIFY(errors > bytes.size() * 3 / 4);
    }
    void randomDamageNeverCrashes()
    {
        const std::string sources[] = {*encodePng(ramp(PixelFormat::Colour16)), jpegOf(40, 30, 3),
                                       tiffOf(m_dir.filePath("r.tif"), 30, 20, 16, 1)};
        std::uint32_t state = 1;
        for (const std::string& source : sources)
            for (int n = 0; n < 400; ++n) {
                std::string bytes = source;
                for (int k = 0; k < 5; ++k) {
                    state = state * 1664525u + 1013904223u;
                    bytes[(state >> 8) % bytes.size()] = char(state);
                }
                const auto r = decode(bytes, "damaged");
                QVERIFY(r || !r.error().message.empty());
            }
    }
    void tooLargeIsRefusedWithTheBound()
    {
        // A header that claims 30000 × 20000 px.
        std::string png = *encodePng(ramp(PixelFormat::Grey8));
        const auto put = [&](std::size_t at, std::uint32_t v) {
            for (int k = 0; k < 4; ++k) png[at + std::size_t(k)] = char(v >> (24 - 8 * k));
        };
        put(16, 30000), put(20, 20000);
        std::uint32_t crc = ~0u;
        for (std::size_t i = 12; i < 29; ++i) {
            crc ^= std::uint8_t(png[i]);
            for (int k = 0; k < 8; ++k) crc = (crc >> 1) ^ (0xEDB88320u & (0u - (crc & 1u)));
        }
        put(29, ~crc);
        const auto r = decode(png, "huge.png");
        QVERIFY(!r && r.error().code == base::ErrorCode::OutOfRange);
        QVERIFY2(r.error().message.find("256 megapixels") != std::string::npos, r.error().message.c_str());
    }
    // What a file states is held against what it can hold, before memory is taken.
    void aSmallFileCannotStateALargePicture()
    {
        const auto number = [](std::string& b, std::size_t at, std::uint32_t v) {
            for (int k = 0; k < 4; ++k) b[at + std::size_t(k)] = char(v >> (24 - 8 * k));
        };
        const auto png = [&](std::uint32_t w, std::uint32_t h) {
            std::string b = *encodePng(Image(8, 8, PixelFormat::Grey8));
            number(b, 16, w), number(b, 20, h);
            std::uint32_t crc = ~0u;
            for (std::size_t i = 12; i < 29; ++i) {
                crc ^= std::uint8_t(b[i]);
                for (int k = 0; k < 8; ++k) crc = (crc >> 1) ^ (0xEDB88320u & (0u - (crc & 1u)));
            }
            number(b, 29, ~crc);
            return decode(b, "small.png");
        };
        const auto large = png(16000, 16000);
        QVERIFY(!large && large.error().code == base::ErrorCode::Corrupt &&
                large.error().message.find("can hold at most") != std::string::npos);
        for (const auto& [w, h] : {std::pair{300'000u, 10u}, {10u, 300'000u}, {0x7fffffffu, 0x7fffffffu}}) {
            const auto r = png(w, h);
            QVERIFY2(!r && r.error().message.find("200000 px a side") != std::string::npos,
                     r ? "" : r.error().message.c_str());
        }
        // Tiles and strips a file of this size cannot have.
        QTemporaryDir dir;
        std::string tiff = tiffOf(dir.filePath("t.tif"), 64, 48, 8, 1, true);
        int spoilt = 0;
        for (std::size_t at = 0; at + 12 <= tiff.size(); ++at) {
            const int tag = std::uint8_t(tiff[at]) | std::uint8_t(tiff[at + 1]) << 8;
            if ((tag != TIFFTAG_TILEWIDTH && tag != TIFFTAG_TILELENGTH) || std::uint8_t(tiff[at + 3]) != 0 ||
                std::uint8_t(tiff[at + 4]) != 1)
                continue;
            for (const std::uint32_t hostile : {0u, 16u << 24, 0x40000000u, 0xfffffff0u}) {
                std::string b = tiff;
                b[at + 2] = 4;
                for (int k = 0; k < 4; ++k) b[at + 8 + std::size_t(k)] = char(hostile >> (8 * k));
                const auto r = decode(b, "t.tif");
                QVERIFY(!r && r.error().where == "t.tif");
                ++spoilt;
            }
        }
        QVERIFY(spoilt >= 8);
    }
    // One rule for TIFF and JPEG, all eight values: the picture is seen as it was held.
    void orientationIsFollowed()
    {
        QTemporaryDir dir;
        // A wide picture whose four corners differ: upper left, upper right, lower left, lower right.
        Image p(32, 16, PixelFormat::Grey8);
        for (int y = 0; y < 16; ++y)
            for (int x = 0; x < 32; ++x) p.row(y)[x] = std::uint8_t(20 + 60 * (x >= 16) + 120 * (y >= 8));
        const auto corners = [](const Image& i) {
            const GreyView g = i.grey();
            const auto round = [&](int x, int y) { return int(std::lround((g.levelAt(x, y) - 20) / 60)); };
            return std::vector<int>{round(2, 2), round(g.width - 3, 2), round(2, g.height - 3),
                                    round(g.width - 3, g.height - 3)};
        };
        // Where the stored corners are seen, by TIFF 6.0: 0th row top, 0th column left for 1 …
        const std::vector<std::vector<int>> seen{{},           {0, 1, 2, 3}, {1, 0, 3, 2}, {3, 2, 1, 0}, {2, 3, 0, 1},
                                                 {0, 2, 1, 3}, {2, 0, 3, 1}, {3, 1, 2, 0}, {1, 3, 0, 2}};
        for (int o = 1; o <= 8; ++o) {
            QCOMPARE(corners(oriented(p.clone(), o)), seen[std::size_t(o)]);
            for (const bool palette : {false, true}) {
                const QString path = dir.filePath("o.tif");
                TIFF* t = TIFFOpen(path.toLocal8Bit().constData(), "w");
                TIFFSetField(t, TIFFTAG_IMAGEWIDTH, 32), TIFFSetField(t, TIFFTAG_IMAGELENGTH, 16);
                TIFFSetField(t, TIFFTAG_BITSPERSAMPLE, 8), TIFFSetField(t, TIFFTAG_SAMPLESPERPIXEL, 1);
                TIFFSetField(t, TIFFTAG_PHOTOMETRIC, palette ? PHOTOMETRIC_PALETTE : PHOTOMETRIC_MINISBLACK);
                TIFFSetField(t, TIFFTAG_ORIENTATION, o);
                std::vector<std::uint16_t> map(256);
                for (std::size_t i = 0; i < 256; ++i) map[i] = std::uint16_t(i * 257);
                if (palette) TIFFSetField(t, TIFFTAG_COLORMAP, map.data(), map.data(), map.data());
                for (int y = 0; y < 16; ++y) TIFFWriteScanline(t, p.row(y), std::uint32_t(y), 0);
                TIFFClose(t);
                const auto r = loadCapture(path.toStdString());
                QVERIFY(r);
                QCOMPARE(corners(r->first().levels()), seen[std::size_t(o)]);
            }
            // The same in a JPEG's EXIF block, either way round.
            for (const bool big : {true, false}) {
                jpeg_compress_struct c{};
                jpeg_error_mgr e{};
                c.err = jpeg_std_error(&e);
                jpeg_create_compress(&c);
                unsigned char* out = nullptr;
                unsigned long size = 0;
                jpeg_mem_dest(&c, &out, &size);
                c.image_width = 32, c.image_height = 16, c.input_components = 1, c.in_color_space = JCS_GRAYSCALE;
                jpeg_set_defaults(&c);
                jpeg_set_quality(&c, 98, TRUE);
                jpeg_start_compress(&c, TRUE);
                std::string exif("Exif\0\0", 6);
                exif += big ? std::string("MM\0*\0\0\0\x08\0\x01\x01\x12\0\x03\0\0\0\x01\0", 19) + char(o) +
                                  std::string(6, '\0')
                            : std::string("II*\0\x08\0\0\0\x01\0\x12\x01\x03\0\x01\0\0\0", 18) + char(o) +
                                  std::string(7, '\0');
                jpeg_write_marker(&c, JPEG_APP0 + 1, reinterpret_cast<const JOCTET*>(exif.data()),
                                  unsigned(exif.size()));
                for (int y = 0; y < 16; ++y) {
                    JSAMPROW row = p.row(y);
                    jpeg_write_scanlines(&c, &row, 1);
                }
                jpeg_finish_compress(&c);
                const auto r = decode(std::string(reinterpret_cast<char*>(out), size), "o.jpg");
                jpeg_destroy_compress(&c);
                std::free(out);
                QVERIFY(r);
                QCOMPARE(corners(*r), seen[std::size_t(o)]);
            }
        }
    }
    void notAPictureIsSaid()
    {
        for (const std::string& text : {std::string(), std::string("hello"), std::string(100, '\0'),
                                        std::string("\x89PNG"), std::string("\xff\xd8")}) {
            const auto r = decode(text, "notes.txt");
            QVERIFY(!r && !r.error().message.empty() && r.error().where == "notes.txt");
        }
    }
    void aHundredMegapixelsWork()
    {
        Image p(12500, 8000, PixelFormat::Grey8);
        p.row(7999)[12499] = 77;
        auto bytes = encodePng(p);
        QVERIFY(bytes);
        p = Image();
        const auto back = decode(*bytes, "large.png");
        QVERIFY(back && back->row(7999)[12499] == 77);
    }
};
QTEST_APPLESS_MAIN(ImageTest)
#include "image_test.moc"
