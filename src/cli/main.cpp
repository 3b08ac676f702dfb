#include "cli/commands.h"

#include <QGuiApplication>
#include <iostream>

int main(int argc, char** argv)
{
    // Annotated pictures are drawn without any display.
    qputenv("QT_QPA_PLATFORM", "offscreen");
    qputenv("QT_LOGGING_RULES", "qt.qpa.*=false");
    QGuiApplication application(argc, argv);
    return cli::run(std::vector<std::string>(argv + 1, argv + argc), std::cout, std::cerr);
}
