// height_places.h - step kind: many like places, each with its height and its share of covered points.
#pragma once
#include "steps/height_glue.h"

namespace steps
{

enum class PlacesIn { Grid, Circle, Free };
struct HeightPlacesParams : BandSettings {
    PlacesIn layout = PlacesIn::Grid;
    int rows = 3;
    int columns = 4;
    int count = 10;
    double start = 0;
    double fill = 60;
    double size = 40;
    bool round = false;
    HeightOf of = HeightOf::Median;
    double leftOut = 2;
    double leastCovered = 30;
};
recipe::StepKind height_places();

} // namespace steps
