// message.h - one line of text for an item, made by a pattern with placeholders.
//
//   {verdict} {Width:.3f} {Slots.areas[2]} {item.x:.1f} {Width|none}
//
// Input   A name in braces: a step by its id or name (its main value), a check by its name, "step.output", with "[n]" an
//         element of a list, from 1. Of the item: verdict (accept, reject, unjudged), word, sentence, item, items,
//         number, record, picture, time, batch, station, recipe, revision, failed, first_failed, last_failed, item.x,
//         item.y, item.angle; in the robot's frame robot.x, robot.y, robot.angle. Of a check also ".verdict" and
//         ".unit", of a list ".failed" (how many elements fail), ".first_failed" and ".last_failed" (their names) and
//         ".first_failed_value", ".last_failed_value". After a colon a format (.3f, 08.2f, d, e, g, 12s);
//         after a bar what stands for a value that is not there, else "-". "{{" and "}}" are braces; \r \n \t \\ and
//         \xHH are what they are elsewhere.
// Output  Numbers with a decimal point, in the unit they are shown in. Fails with InvalidArgument at the character.
#pragma once
#include "station/line.h"

namespace control
{

class Message
{
public:
    // Against the recipe: a name it does not have is refused with those that are like it.
    static base::Result<Message> parse(const std::string& pattern, const recipe::Recipe& recipe);
    // Of one item of the picture, from 0; of a picture that could not be read what is known of it.
    std::string of(const station::Logged& logged, std::size_t item) const;

private:
    struct Part {
        std::string text;               // as it stands, when `name` is empty
        std::string name;               // "verdict", "item.x", or "" and:
        std::string step, output, what; // what: "", "verdict", "unit", "failed" …
        int element = 0;                // from 1; 0: the value itself
        std::string format, otherwise = "-";
    };
    static base::Status readPlace(const std::string& text, std::size_t at, const recipe::Recipe& recipe, Part& part);
    std::string filled(const Part& part, const station::Logged& logged, const inspect::ItemResult* item) const;
    std::vector<Part> m_parts;
};

} // namespace control
