// guide_resource.h - the guide and its pictures, which the program carries with it.
#pragma once

namespace desktop
{

// From then on the pages lie under ":/docs/guide"; more calls do nothing.
void openGuide();

} // namespace desktop
