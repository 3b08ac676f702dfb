// drawing_pages.h - pages of a report about a part that has a drawing: where it is another one, and the drawing with the
// sizes that were checked.
#pragma once
#include "image/capture.h"
#include "inspect/result.h"
#include "report/pages.h"

#include <memory>

namespace report
{

// Nothing is added when no step compares with the drawing.
void addDeviationPage(Pages& pages, std::shared_ptr<const image::Capture> capture, const recipe::Recipe& recipe,
                      const inspect::ItemResult& item);
// Nothing is added when the recipe has no drawing or it was not laid.
void addDrawingPage(Pages& pages, const recipe::Recipe& recipe, const inspect::ItemResult& item);

} // namespace report
