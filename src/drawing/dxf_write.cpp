#include "drawing/dxf.h"

#include "base/files.h"

#include <dxflib/dl_dxf.h>
#include <filesystem>
#include <memory>
#include <unistd.h>

namespace drawing
{
namespace fs = std::filesystem;
using base::ErrorCode;
using base::fail;

namespace
{
// Names of layers as every reader takes them.
std::string layerName(std::string name)
{
    for (char& c : name)
        if (static_cast<unsigned char>(c) < 32 || std::string_view("<>/\\\":;?*|=`,").find(c) != std::string_view::npos)
            c = '-';
    return name.empty() ? "0" : name.substr(0, 255);
}

void writeTables(DL_Dxf& dxf, DL_WriterA& w, const std::vector<std::string>& layers)
{
    dxf.writeHeader(w);
    w.dxfString(9, "$INSUNITS");
    w.dxfInt(70, 4);
    w.dxfString(9, "$MEASUREMENT");
    w.dxfInt(70, 1);
    w.sectionEnd();
    w.sectionTables();
    dxf.writeVPort(w);
    w.tableLinetypes(3);
    for (const char* type : {"BYBLOCK", "BYLAYER", "CONTINUOUS"})
        dxf.writeLinetype(w, DL_LinetypeData(type, "", 0, 0, 0));
    w.tableEnd();
    w.tableLayers(int(layers.size()));
    for (const std::string& name : layers)
        dxf.writeLayer(w, DL_LayerData(name, 0), DL_Attributes("", DL_Codes::black, 25, "CONTINUOUS", 1.0));
    w.tableEnd();
    w.tableStyle(1);
    dxf.writeStyle(w, DL_StyleData("Standard", 0, 0.0, 1.0, 0.0, 0, 2.5, "txt", ""));
    w.tableEnd();
    dxf.writeView(w);
    dxf.writeUcs(w);
    w.tableAppid(1);
    dxf.writeAppid(w, "ACAD");
    w.tableEnd();
    dxf.writeDimStyle(w, 1, 1, 1, 1, 1);
    dxf.writeBlockRecord(w);
    w.tableEnd();
    w.sectionEnd();
    w.sectionBlocks();
    for (const char* block : {"*Model_Space", "*Paper_Space", "*Paper_Space0"}) {
        dxf.writeBlock(w, DL_BlockData(block, 0, 0.0, 0.0, 0.0));
        dxf.writeEndBlock(w, block);
    }
    w.sectionEnd();
}

void writeElement(DL_Dxf& dxf, DL_WriterA& w, const Element& e, const std::string& layer)
{
    const DL_Attributes look(layer, 256, -1, "BYLAYER", 1.0);
    const DrawnPoint a = drawn(e.from), b = drawn(e.to), c = drawn(e.centre);
    if (!e.arc) return dxf.writeLine(w, DL_LineData(a.x, a.y, 0, b.x, b.y, 0), look);
    if (e.whole()) return dxf.writeCircle(w, DL_CircleData(c.x, c.y, 0, e.radius), look);
    const auto degrees = [](double angle) {
        const double d = std::fmod(geometry::degrees(angle), 360);
        return d < 0 ? d + 360 : d;
    };
    dxf.writeArc(w, DL_ArcData(c.x, c.y, 0, e.radius, degrees(e.start), degrees(e.start + e.sweep)), look);
}
} // namespace

base::Result<std::string> writeDxf(const Drawing& drawing)
{
    std::error_code error;
    const fs::path folder = fs::temp_directory_path(error);
    if (error) return fail(ErrorCode::Io, "there is no folder for working files: " + error.message());
    std::string name = (folder / "drawing-XXXXXX").string(); // the package writes into files only
    const int made = mkstemp(name.data());
    if (made < 0) return fail(ErrorCode::Io, "cannot make a working file", name);
    close(made);
    struct Gone {
        std::string name;
        ~Gone() { unlink(name.c_str()); }
    } gone{name};
    DL_Dxf dxf;
    const std::unique_ptr<DL_WriterA> w(dxf.out(name.c_str(), DL_Codes::AC1015));
    if (!w) return fail(ErrorCode::Io, "cannot write a working file", name);
    std::vector<std::string> layers{"0"};
    for (const Layer& l : drawing.layers)
        if (layerName(l.name) != "0") layers.push_back(layerName(l.name));
    writeTables(dxf, *w, layers);
    w->sectionEntities();
    for (const Element& e : drawing.elements)
        writeElement(dxf, *w, e,
                     std::size_t(e.layer) < drawing.layers.size() ? layerName(drawing.layers[std::size_t(e.layer)].name)
                                                                  : std::string("0"));
    w->sectionEnd();
    dxf.writeObjects(*w);
    dxf.writeObjectsEnd(*w);
    w->dxfEOF();
    w->close();
    return base::readFile(name);
}

} // namespace drawing
