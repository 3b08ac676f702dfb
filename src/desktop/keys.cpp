#include "desktop/keys.h"

#include <QAction>

namespace desktop
{

const std::vector<Key>& keyTable()
{
    static const std::vector<Key> table{
        {"new", "New recipe", "Ctrl+N", "all", "Starts an empty recipe."},
        {"open", "Open recipe…", "Ctrl+O", "all", "Opens a recipe file or folder."},
        {"save", "Save", "Ctrl+S", "all", "Saves the recipe; its revision goes up by one."},
        {"saveAs", "Save as…", "Ctrl+Shift+S", "all", "Saves the recipe under another name."},
        {"saveWithNote", "Save with a note…", "Ctrl+Shift+N", "all",
         "Saves the recipe and says why; the note stands with its revision."},
        {"revisions", "Revisions…", "Ctrl+H", "all",
         "What the recipe was each time it was saved: what changed, who, when, why; compared on the trials."},
        {"newVariant", "New variant…", "", "all",
         "A variant of the part like this one, with a reference and trials of its own, in the same recipe."},
        {"nextVariant", "Next variant", "Ctrl+Shift+V", "all", "Puts the next variant of the part in work."},
        {"renameVariant", "Rename variant…", "", "all", "Gives the variant in work another name."},
        {"deleteVariant", "Delete variant", "", "all", "Takes the variant in work out of the recipe."},
        {"addPictures", "Add pictures…", "Ctrl+P", "all", "Adds pictures as trials."},
        {"addFolder", "Add a folder of pictures…", "Ctrl+Shift+P", "all", "Adds all pictures of a folder as trials."},
        {"quit", "Quit", "Ctrl+Q", "all", "Closes Dikkat."},
        {"find", "Find…", "Ctrl+F", "all",
         "Finds kinds by what they are for, steps, settings, trials and actions; verbs such as: set 5 0.25."},
        {"undo", "Undo", "Ctrl+Z", "all", "Takes the last change back."},
        {"redo", "Redo", "Ctrl+Shift+Z", "all", "Makes the change again that was taken back."},
        {"takeReference", "Take this picture as reference", "Ctrl+R", "setup",
         "Steps are drawn on the reference: the picture of a good part."},
        {"calibrate", "Calibrate…", "Ctrl+K", "setup", "Calibrates by a known length or by pictures of a target."},
        {"convertLimits", "Convert all limits", "", "setup",
         "Converts every limit that is in another unit than its value."},
        {"checkDetails", "Limits in detail…", "Ctrl+L", "setup",
         "Tolerance, uncertainty, fault text and the elements of a list of the chosen check."},
        {"proposeLimits", "Propose limits…", "Ctrl+Shift+L", "setup",
         "Proposes limits from the trials, or from a complete sample and one with a gap."},
        {"fitToLabels", "Fit to labels…", "Ctrl+J", "setup",
         "Searches a setting of the chosen step for the widest margin between good and bad trials."},
        {"repeatability", "Repeatability…", "", "setup",
         "How well values repeat: takes of one part, noisy copies, or a study of parts and persons."},
        {"outputs", "Outputs…", "Ctrl+Shift+O", "setup",
         "Who is told of every item: text, MQTT, a Modbus table; tried with the item in view."},
        {"robot", "Robot's frame…", "", "setup",
         "Pairs of points seen here and driven to by the robot; outputs then tell places in its frame."},
        {"camera", "Camera…", "Ctrl+Shift+M", "setup",
         "Live picture, exposure, clipping, focus, evenness of light; pictures become trials."},
        {"screen", "Operator's screen…", "Ctrl+Shift+E", "setup",
         "What is seen in Run: picture, marks, values, totals; which limits may be moved there."},
        {"recipeSettings", "Recipe settings…", "Ctrl+,", "setup",
         "Units, general tolerance, guard band, item rule, words and totals."},
        {"review", "Review", "Shift+F3", "setup",
         "Lists what is doubtful about the recipe: units, margins, names, checks nothing proves."},
        {"nextDoubt", "Next doubtful thing", "F3", "setup", "Leads to the next doubtful thing of the review."},
        {"onlyFailed", "Only what fails", "Z", "setup", "Leaves out rows and labels of checks that fail nowhere."},
        {"unfoldItems", "Items unfolded", "Shift+U", "setup", "A column for every part of a picture, under a bracket."},
        {"byTaken", "Columns as added", "", "setup", "The trials in the order they were added."},
        {"byLabel", "Columns by label", "", "setup", "Good trials, bad ones and open ones together."},
        {"byVerdict", "Columns by verdict", "", "setup", "Rejected trials first."},
        {"byName", "Columns by name", "", "setup", "The trials in the order of their files' names."},
        {"byShare", "Columns by share", "", "setup", "Trials that use most of the chosen check's tolerance first."},
        {"showAll", "All columns", "", "setup", "Shows every trial."},
        {"showFailed", "Only failed columns", "", "setup", "Shows the rejected trials alone."},
        {"showDisagreeing", "Only disagreeing columns", "", "setup",
         "Shows the trials whose label and verdict disagree alone."},
        {"freeLabels", "Labels back to their places", "", "setup", "Labels moved by hand find their own places again."},
        {"copyStep", "Copy step", "Ctrl+C", "setup", "Copies the chosen step, for this recipe or another."},
        {"cutStep", "Cut step", "Ctrl+X", "setup", "Copies the chosen step and deletes it."},
        {"pasteStep", "Paste step", "Ctrl+V", "setup",
         "Pastes copied steps; what they read and what is not here is asked for by name."},
        {"repeatStep", "Repeat…", "Ctrl+D", "setup",
         "Repeats the chosen step in rows and columns or round a centre, each copy with its own range."},
        {"moveUp", "Move up", "Ctrl+Up", "setup", "Moves the chosen row up, as far as what it reads allows."},
        {"moveDown", "Move down", "Ctrl+Down", "setup", "Moves the chosen row down, as far as what reads it allows."},
        {"formula", "Formula", "=", "setup", "Makes a formula; clicked rows and labels put their names in."},
        {"deleteStep", "Delete step", "Del", "setup", "Deletes the selected step; what read it stays and says so."},
        {"deleteReaders", "Delete with what reads it", "Shift+Ctrl+Del", "setup",
         "Deletes the chosen step and everything that reads it, or what the step deleted last has left behind."},
        {"rename", "Rename", "F2", "setup", "Renames the selected step; nothing that reads it breaks."},
        {"useStep", "Step in use", "Y", "setup", "Takes the selected step out of use, or back into it."},
        {"removeTrial", "Remove trial", "Shift+Del", "setup", "Takes this picture out of the trials; the file stays."},
        {"setAside", "Set this picture aside", "", "setup",
         "It is no part (a target, an empty picture): no trial, and not added again with its folder."},
        {"labelGood", "Label good", "G", "setup", "Labels this trial good; of an open one the next open one follows."},
        {"labelRestGood", "All unlabelled are good", "Shift+G", "setup",
         "Labels every trial good that has no label yet."},
        {"labelBad", "Label bad", "B", "setup", "Labels this trial bad; of an open one the next open one follows."},
        {"labelOpen", "Label open", "O", "setup", "Takes this trial's label away."},
        {"nextTrial", "Next trial", "PgDown", "setup", "Shows the next trial."},
        {"previousTrial", "Previous trial", "PgUp", "setup", "Shows the trial before."},
        {"nextFailed", "Next failed trial", "Ctrl+PgDown", "setup", "Shows the next trial that is rejected."},
        {"nextDisagreeing", "Next disagreeing trial", "Shift+PgDown", "setup",
         "Shows the next trial whose label and verdict disagree."},
        {"showReference", "Reference", "E", "setup", "Shows the reference instead of the trial."},
        {"bare", "Bare picture", "Q", "setup", "Shows the picture without marks."},
        {"taken", "Taken and rest", "W", "setup", "Shows what the threshold takes; the rest goes flat."},
        {"allMarks", "All marks", "A", "setup", "Shows every label, however many."},
        {"noSnap", "No snapping", "S", "setup",
         "While on, nothing is turned square and no handle jumps to what was found."},
        {"greyUnder", "Grey under marks", "", "setup",
         "Shows a colour picture without its colours while marks are on."},
        {"loupe", "Loupe", "L", "setup", "Shows single pixels under the pointer with grey level and place."},
        {"difference", "Difference", "D", "setup",
         "Shows what differs from the reference, laid on the part; what is alike is paper."},
        {"steady", "Steady view", "T", "setup",
         "Turns and shifts the picture for the eye, so that the part stands still from trial to trial."},
        {"quarterTurn", "Quarter turn", "V", "setup", "Turns the view by a quarter; values and regions stay."},
        {"fit", "Fit", "F", "setup", "Shows the item or the whole picture, in turn."},
        {"singlePixels", "Single pixels", "P", "setup", "Shows every pixel of the picture as one of the screen."},
        {"zoomIn", "Closer", "+", "setup", "Zooms in about the middle."},
        {"zoomOut", "Farther", "-", "setup", "Zooms out about the middle."},
        {"reverse", "Reverse", "R", "setup", "Turns the search direction round."},
        {"nextShape", "Next shape", "C", "setup", "Gives the region its next possible shape."},
        {"leaveOut", "Leave out", "X", "setup", "The next stroke or area is left out of the chosen step."},
        {"measure", "Measure by pointing", "M", "setup",
         "Point at two features one after the other: their distance is shown; Enter makes it a step."},
        {"numberAnew", "Number anew", "", "setup", "Gives the balloons their numbers anew, in the order of the rows."},
        {"howCome", "How come?", "H", "setup",
         "Says of what is under the pointer why it was kept or what turned it away: filter, value and distance."},
        {"objects", "Objects and edges", "Shift+H", "setup",
         "Everything the chosen step looked at one by one, with every value; two values over all trials."},
        {"likeThis", "Like this", "J", "setup", "The chosen object is one of those that are wanted."},
        {"notThis", "Not this", "Shift+J", "setup", "The chosen object is none of those that are wanted."},
        {"takeEmpty", "Take as empty picture", "", "setup",
         "Keeps this picture as the one without a part, to even out the light with."},
        {"placesFromObjects", "Places from objects", "", "setup",
         "Gives every object the chosen step finds here a named place; a missing one is then named."},
        {"takeDraft", "Take the draft", "Return", "setup",
         "Takes the drafted step into the recipe; once more takes the proposed limits."},
        {"letGo", "Let go", "Esc", "setup", "Lets go of the draft, the chosen kind or the selection, one at a time."},
        {"nextOffer", "Next offer", "Tab", "setup", "Chooses the next reading of the same stroke."},
        {"kinds", "Kinds of steps", "K", "setup", "Makes a step by keys: lists every kind."},
        {"nextItem", "Next item", "N", "setup", "Chooses the next item of the picture, in Run too."},
        {"otherArrangement", "Other arrangement", "Shift+F4", "setup",
         "Puts the sheet above the grid, or beside it for a part that is higher than wide; kept with the recipe."},
        {"sheetAlone", "Sheet alone", "F11", "setup", "Gives the sheet the whole window, or takes it back."},
        {"gridAlone", "Grid alone", "F12", "setup", "Gives the grid the whole window, or takes it back."},
        {"dark", "Dark theme", "Ctrl+Shift+D", "all", "Changes between the light and the dark theme."},
        {"setup", "Set up", "Ctrl+1", "all", "Where recipes are made and proved."},
        {"runPage", "Run", "Ctrl+2", "all", "Where items are inspected one after another."},
        {"records", "Records", "Ctrl+3", "all", "Where every inspected item can be found."},
        {"release", "Release…", "Ctrl+Shift+R", "all",
         "Puts the recipe on the line, by name; edits never reach it otherwise."},
        {"signIn", "Sign in or out…", "F9", "all", "Says who is at the window; what is done stands under that name."},
        {"stationName", "Name of this station…", "", "all", "Stands with every item that is inspected here."},
        {"people", "People…", "", "all", "Who may operate, set up and administer, each with a PIN."},
        {"wholeScreen", "Run on the whole screen", "Shift+F11", "all", "Run alone on the whole screen, or back."},
        {"start", "Start", "F6", "run", "Starts inspecting items."},
        {"takeOne", "Take one", "F7", "run", "Inspects one item."},
        {"stop", "Stop", "F8", "run", "Stops after the present item."},
        {"firstSteps", "First steps", "", "all", "Five notes, one at a time, that show how a recipe is made."},
        {"evidenceLarge", "Evidence large", "F4", "setup",
         "Gives the evidence the room of the sheet, or takes it back."},
        {"helpForThis", "Help for this", "F1", "all", "What the chosen kind does, needs and measures."},
        {"guidePages", "Guide", "", "all", "Opens the guide: how things are done, task by task."},
        {"guide", "Keys and gestures", "Shift+F1", "all", "Lists keys and gestures."},
    };
    return table;
}

const Key& keyOf(const QString& id)
{
    for (const Key& k : keyTable())
        if (id == QLatin1String(k.id)) return k;
    qFatal("no key is declared for %s", qPrintable(id));
}

QAction* makeAction(const QString& id, QObject* parent)
{
    const Key& k = keyOf(id);
    auto* a = new QAction(QString::fromUtf8(k.label), parent);
    a->setObjectName(id);
    const QKeySequence keys(QString::fromLatin1(k.keys));
    if (!keys.isEmpty()) a->setShortcut(keys);
    a->setToolTip(QString::fromUtf8(k.help) +
                  (keys.isEmpty()
                       ? QString()
                       : QStringLiteral("  (") + keys.toString(QKeySequence::NativeText) + QStringLiteral(")")));
    return a;
}

} // namespace desktop
