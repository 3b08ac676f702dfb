// evidence_of.h - the plot behind one element of a step's lists: the place that is meant, beside what is good there.
#pragma once
#include "inspect/inspect.h"

namespace inspect
{

// As evidence() of inspect.h; `element` from 0, -1: the worst.
base::Result<recipe::Evidence> evidenceOf(const Prepared& prepared, const image::Capture& capture,
                                          const ItemResult& item, const std::string& step, int element);

} // namespace inspect
