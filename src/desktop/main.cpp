// Wires it all: the only place in the window that knows the demo's picture maker.
#include "demo/conveyor.h"
#include "desktop/hints.h"
#include "desktop/main_window.h"
#include "desktop/style.h"

#include <QApplication>
#include <QCommandLineParser>
#include <QSettings>
#include <QStandardPaths>

int main(int argc, char** argv)
{
    QApplication application(argc, argv);
    QApplication::setApplicationName(QStringLiteral("dikkat"));
    QApplication::setApplicationVersion(QStringLiteral("0.1.0"));
    QCommandLineParser arguments;
    arguments.setApplicationDescription(QStringLiteral("Dikkat: inspection recipes on camera pictures."));
    arguments.addHelpOption();
    arguments.addVersionOption();
    arguments.addPositionalArgument(QStringLiteral("files"),
                                    QStringLiteral("a recipe, or pictures and folders of pictures"),
                                    QStringLiteral("[FILE...]"));
    const QCommandLineOption hints(QStringLiteral("hints"), QStringLiteral("notes that show the first steps"));
    arguments.addOption(hints);
    arguments.process(application);
    report::loadFonts();
    report::useDarkTheme(QSettings().value(QStringLiteral("dark"), false).toBool());
    desktop::applyTheme(application);
    const auto simulated = [](const station::Conveyor& conveyor) {
        return std::make_unique<station::ConveyorSource>(conveyor, [](const station::Passing& p) {
            return demo::passingPlate(demo::Field{}, p.seed, p.number, p.faulty, p.light, p.smearMm);
        });
    };
    desktop::MainWindow window(simulated, QStandardPaths::writableLocation(QStandardPaths::AppDataLocation));
    window.show();
    const QStringList files = arguments.positionalArguments();
    if (!files.isEmpty()) window.addPictures(files);
    if (arguments.isSet(hints) && window.who().may(people::Right::Engineer)) window.hints()->start();
    window.offerRecovery();
    return QApplication::exec();
}
