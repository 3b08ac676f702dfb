# Another program's word on drawings: writes some, says what is in them, audits ours.
#   drawings.py write FOLDER   many files and FOLDER/said.json with counts and boxes
#   drawings.py audit FILE...  says errors of each file, as JSON
import json
import math
import sys
from pathlib import Path

import ezdxf
from ezdxf import bbox

VERSIONS = ["R12", "R2000", "R2004", "R2007", "R2010", "R2013", "R2018"]


def fill(doc, new):
    msp = doc.modelspace()
    doc.layers.add("holes")
    doc.layers.add("notes")
    msp.add_line((0, 0), (40, 0))
    msp.add_line((40, 0), (40, 25))
    msp.add_arc((35, 25), 5, 0, 90)
    msp.add_arc((-3, 12), 2.5, 200, 20)
    msp.add_line((35, 30), (0, 30))
    msp.add_circle((10, 10), 3, dxfattribs={"layer": "holes"})
    msp.add_polyline2d([(0, 0, 0), (60, -5, 0.5), (70, 10, -0.3), (55, 22, 0)], format="xyb", close=True)
    msp.add_text("made up", dxfattribs={"layer": "notes"})
    msp.add_point((3, 3))
    block = doc.blocks.new("PIN", base_point=(1, 1))
    block.add_circle((1, 1), 2)
    block.add_arc((1, 1), 4, 10, 130)
    block.add_line((1, 1), (6, 1))
    inner = doc.blocks.new("PAIR")
    inner.add_blockref("PIN", (0, 0))
    inner.add_blockref("PIN", (12, 3), dxfattribs={"xscale": -1, "rotation": 30})
    msp.add_blockref("PAIR", (100, 50), dxfattribs={"xscale": 2, "yscale": 2, "rotation": 45, "layer": "holes"})
    msp.add_blockref("PIN", (-60, -40), dxfattribs={"xscale": 1.5, "yscale": 0.5, "rotation": 20})
    msp.add_blockref("PIN", (-80, 60), dxfattribs={"column_count": 3, "row_count": 2, "column_spacing": 15, "row_spacing": 11, "rotation": 15})
    msp.add_circle((20, -30), 4, dxfattribs={"extrusion": (0, 0, -1)})
    msp.add_arc((20, -50), 4, 30, 100, dxfattribs={"extrusion": (0, 0, -1)})
    if new:
        msp.add_ellipse((150, 0), (20, 8), 0.4, 0.3, 4.8)
        msp.add_ellipse((150, 60), (0, 12), 0.7)
        msp.add_open_spline([(0, -60), (10, -80), (30, -40), (50, -70), (60, -60)])
        msp.add_rational_spline([(80, -60), (90, -80), (110, -40), (130, -70)], [1, 2, 0.5, 1])
        msp.add_lwpolyline([(200, 0, 0, 0, 1), (220, 0, 0, 0, 0), (220, 30, 0, 0, 0.2), (190, 30, 0, 0, 0)], close=True)
        pts = [(200 + 10 * math.cos(a), -50 + 10 * math.sin(a), 0, 0, 0.1) for a in (0, 1, 2.5, 4)]
        msp.add_lwpolyline(pts, dxfattribs={"extrusion": (0, 0, -1)})
        msp.add_mtext("made up", dxfattribs={"layer": "notes"})
        hatch = msp.add_hatch()
        hatch.paths.add_polyline_path([(0, 0), (1, 0), (1, 1)])


def said(doc):
    counts = {}
    for e in doc.modelspace():
        counts[e.dxftype()] = counts.get(e.dxftype(), 0) + 1
    kinds = {"LINE", "ARC", "CIRCLE", "ELLIPSE", "LWPOLYLINE", "POLYLINE", "SPLINE", "INSERT"}
    box = bbox.extents((e for e in doc.modelspace() if e.dxftype() in kinds), flatten=0.0002)
    return {"counts": counts, "box": [box.extmin.x, box.extmin.y, box.extmax.x, box.extmax.y]}


def write(folder):
    out = {}
    for version in VERSIONS:
        doc = ezdxf.new(version)
        if version != "R12":
            doc.header["$INSUNITS"] = 4
        fill(doc, version != "R12")
        name = f"made-{version}.dxf"
        doc.saveas(folder / name)
        out[name] = said(ezdxf.readfile(folder / name))
    (folder / "said.json").write_text(json.dumps(out))


def audit(files):
    out = {}
    for f in files:
        doc = ezdxf.readfile(f)
        found = doc.audit()
        out[f] = {"errors": [e.message for e in found.errors], "mended": [e.message for e in found.fixes], **said(doc)}
    print(json.dumps(out))


if sys.argv[1] == "write":
    write(Path(sys.argv[2]))
else:
    audit(sys.argv[2:])
