#include "cli/commands.h"

#include <QGuiApplication>
#include <iostream>

int main(int argc, char** argv)
{
    // Annotated pictures are drawn without any display.
    qputenv("QT_QPA_PLATFORM", "offscreen");
    // Remarks of the toolkit about the desktop session are no answer to anything asked here.
    qInstallMessageHandler([](QtMsgType type, const QMessageLogContext&, const QString& text) {
        if (type == QtCriticalMsg || type == QtFatalMsg) std::cerr << text.toStdString() << "\n";
    });
    QGuiApplication application(argc, argv);
    return cli::run(std::vector<std::string>(argv + 1, argv + argc), std::cout, std::cerr);
}
