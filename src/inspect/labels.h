// labels.h - what a person said of parts: of whole pictures, and of single parts by their place.
//
// Labels of parts are matched to what was found by place, each once, the nearest first, within half the least distance
// between parts: a lost find leaves the others' labels where they were.
#pragma once
#include "inspect/inspect.h"

namespace inspect
{

// Of each item in order: its own, else the picture's.
std::vector<recipe::Label> labelsOf(const recipe::Recipe& recipe, const recipe::Trial& trial,
                                    const PictureResult& result);
// What was said of this item itself; nothing: only of the picture, or not at all.
std::optional<recipe::Label> ownLabel(const recipe::Recipe& recipe, const recipe::Trial& trial,
                                      const PictureResult& result, int item);
// Of the picture as a whole: bad when a part of it is, good when all are; without labels of parts its own.
recipe::Label labelOf(const recipe::Trial& trial);
// Labels of parts that find none here, as indexes of the trial's items.
std::vector<std::size_t> labelsWithoutItem(const recipe::Recipe& recipe, const recipe::Trial& trial,
                                           const PictureResult& result);
// Labels the item of this result; an open label takes it away. InvalidArgument: the item was not found, it has no
// place.
base::Status labelItem(const recipe::Recipe& recipe, recipe::Trial& trial, const PictureResult& result, int item,
                       recipe::Label label);
// Whether a verdict is another than what was said: of the items that have labels, and of parts that were lost.
bool disagrees(const recipe::Recipe& recipe, const recipe::Trial& trial, const PictureResult& result);

} // namespace inspect
