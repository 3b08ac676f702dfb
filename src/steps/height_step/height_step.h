// height_step.h - step kind: the step a stroke runs across, between the ground before and behind it.
#pragma once
#include "steps/height_glue.h"

namespace steps
{

enum class Sense { Either, Up, Down };
inline std::vector<recipe::Choice> senseChoices() { return {{"either", "Up or down"}, {"up", "Up"}, {"down", "Down"}}; }
inline int signOf(Sense s) { return s == Sense::Up ? 1 : s == Sense::Down ? -1 : 0; }
enum class Slopes { One, Own };
struct HeightStepParams {
    double least = 0.05;
    Sense sense = Sense::Either;
    vision::Pick pick = vision::Pick::Strongest;
    double margin = 3;
    Slopes slopes = Slopes::One;
    double reach = 0;
    double smoothing = 1.5;
    double mostGap = 30;
};
// The edge that is meant; by how much it rises decides the strongest one.
std::optional<std::size_t> pickEdge(const std::vector<vision::HeightEdge>& all, vision::Pick which);
std::string noStepText(double least);
recipe::StepKind height_step();

} // namespace steps
