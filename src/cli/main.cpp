#include "cli/commands.h"

#include <QGuiApplication>
#include <fcntl.h>
#include <iostream>
#include <unistd.h>

int main(int argc, char** argv)
{
    // A closed stream is not taken by the next file that is opened: what is written to it must fail.
    for (const int fd : {0, 1, 2})
        if (::fcntl(fd, F_GETFD) == -1)
            (void)!::open(fd == 1 ? "/dev/full" : "/dev/null", fd == 0 ? O_RDONLY : O_WRONLY);
    // Annotated pictures are drawn without any display.
    qputenv("QT_QPA_PLATFORM", "offscreen");
    // Remarks of the toolkit about the desktop session are no answer to anything asked here.
    qInstallMessageHandler([](QtMsgType type, const QMessageLogContext&, const QString& text) {
        if (type == QtCriticalMsg || type == QtFatalMsg) std::cerr << text.toStdString() << "\n";
    });
    QGuiApplication application(argc, argv);
    return cli::run(std::vector<std::string>(argv + 1, argv + argc), std::cout, std::cerr);
}
