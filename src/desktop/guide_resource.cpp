#include "desktop/guide_resource.h"

#include <QResource>

// Aligned as the reader of resources wants it.
asm(".section .rodata\n"
    ".balign 16\n"
    ".global dikkatGuideResource\n"
    ".hidden dikkatGuideResource\n"
    "dikkatGuideResource:\n"
    ".incbin \"" GUIDE_RCC "\"\n"
    ".previous\n");
extern "C" const unsigned char dikkatGuideResource[];

namespace desktop
{

void openGuide()
{
    static const bool open = QResource::registerResource(dikkatGuideResource);
    if (!open) qFatal("the guide in this program cannot be read");
}

} // namespace desktop
