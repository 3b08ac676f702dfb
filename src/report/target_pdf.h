// target_pdf.h - a calibration target as a PDF at true scale, with its orientation mark and a line to check the print
// by.
//
// Input   a target (columns × rows inner corners or dots, pitch in mm); the page is as large as the target with its
//         rim.
// Fails   OutOfRange (the target, or a page above 5 m), Io.
#pragma once
#include "inspect/calibrating.h"

#include <string>

class QPainter;

namespace report
{

base::Status writeTargetPdf(const std::string& path, const inspect::Target& target, bool marked = true);
// Size of the page, mm.
struct PageSize {
    double width, height;
};
PageSize targetPage(const inspect::Target& target);

} // namespace report
