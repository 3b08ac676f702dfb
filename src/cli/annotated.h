// annotated.h - pictures with their results drawn over them, as files.
#pragma once
#include "inspect/result.h"

namespace cli
{

// A file name for each picture's annotated one; two pictures of one name from two folders do not overwrite each other.
std::vector<std::string> leavesFor(const std::vector<std::string>& pictures);
base::Status writeAnnotated(const image::Capture& capture, const recipe::Recipe& recipe,
                            const inspect::PictureResult& result, const std::string& path);

} // namespace cli
