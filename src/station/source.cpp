#include "station/source.h"

#include "base/files.h"
#include "image/decode.h"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <random>
#include <sstream>
#include <thread>

namespace station
{
namespace fs = std::filesystem;

ListSource::ListSource(std::string name, std::vector<std::string> pictures, bool again)
    : m_name(std::move(name)), m_pictures(std::move(pictures)), m_end(again ? End::Again : End::Stop)
{
}

base::Result<std::vector<std::string>> ListSource::picturesIn(const std::string& path)
{
    std::error_code error;
    std::vector<std::string> pictures;
    fs::directory_iterator it(path, error);
    for (; !error && it != fs::directory_iterator(); it.increment(error))
        if (std::error_code ignored; it->is_regular_file(ignored) && image::looksLikePicture(it->path().string()))
            pictures.push_back(it->path().string());
    if (error) return base::fail(base::ErrorCode::Io, "the folder cannot be read: " + error.message(), path);
    if (pictures.empty())
        return base::fail(base::ErrorCode::NotFound, "the folder holds no picture (.png .jpg .jpeg .tif .tiff)", path);
    std::sort(pictures.begin(), pictures.end());
    return pictures;
}

base::Result<std::unique_ptr<PictureSource>> ListSource::folder(const std::string& path, End end)
{
    auto pictures = picturesIn(path);
    if (!pictures && end == End::Wait && pictures.error().code == base::ErrorCode::NotFound && fs::is_directory(path))
        pictures = std::vector<std::string>();
    if (!pictures) return base::passOn(pictures.error());
    auto out = std::unique_ptr<ListSource>(new ListSource("folder " + path, std::move(*pictures), false));
    out->m_folder = path;
    out->m_end = end;
    out->m_listed = out->m_pictures.size();
    for (const std::string& p : out->m_pictures) out->m_seen[p] = {base::stampOf(p), {}, true};
    return std::unique_ptr<PictureSource>(std::move(out));
}

base::Result<std::unique_ptr<PictureSource>> ListSource::list(const std::string& path, bool again)
{
    auto text = base::readFile(path, 64 << 20);
    if (!text) return base::passOn(text.error());
    std::vector<std::string> pictures;
    std::istringstream lines(*text);
    for (std::string line; std::getline(lines, line);) {
        while (!line.empty() && (line.back() == '\r' || line.back() == ' ')) line.pop_back();
        if (line.empty() || line.front() == '#') continue;
        pictures.push_back(fs::path(line).is_absolute() ? line : (fs::path(path).parent_path() / line).string());
    }
    if (pictures.empty()) return base::fail(base::ErrorCode::NotFound, "the list names no picture", path);
    return std::unique_ptr<PictureSource>(new ListSource("list " + path, std::move(pictures), again));
}

std::vector<std::string> ListSource::pictures() const
{
    const std::lock_guard lock(m_mutex);
    return m_pictures;
}
std::size_t ListSource::position() const
{
    const std::lock_guard lock(m_mutex);
    return m_at;
}
void ListSource::seek(std::size_t index)
{
    const std::lock_guard lock(m_mutex);
    m_at = std::min(index, m_pictures.size());
    m_given.clear();
}
void ListSource::setEnd(End end)
{
    const std::lock_guard lock(m_mutex);
    m_end = end;
}

bool looksWhole(const std::string& path)
{
    std::ifstream file(path, std::ios::binary);
    char head[8] = {}, tail[12] = {};
    file.read(head, sizeof head);
    if (file.gcount() < 8) return false;
    file.seekg(-12, std::ios::end);
    file.read(tail, sizeof tail);
    if (!file) return false;
    const std::string_view h(head, sizeof head), t(tail, sizeof tail);
    if (h.substr(1, 3) == "PNG") return t.substr(4, 4) == "IEND";
    if (h.substr(0, 2) == "\xff\xd8") return t.find("\xff\xd9") != std::string_view::npos;
    return true;
}

namespace
{
constexpr auto kLateTile = std::chrono::seconds(10);
}

void ListSource::lookForNew(const image::Naming& naming)
{
    constexpr auto still = std::chrono::milliseconds(300);
    const auto now = std::chrono::steady_clock::now();
    const auto there = picturesIn(m_folder);
    if (!there) return; // none, or the folder is away for a moment
    for (const std::string& path : *there) {
        const std::string stamp = base::stampOf(path);
        Seen& seen = m_seen[path];
        if (seen.stamp != stamp) seen = {stamp, now, false};
    }
    const auto isWhole = [&](const std::string& path) {
        const auto it = m_seen.find(path);
        return it != m_seen.end() && (it->second.given || (now - it->second.since >= still && looksWhole(path)));
    };
    // A tile that has not come once the next part's are there, or long after its neighbours, does not come any more.
    const auto lost = [&](const std::vector<std::pair<std::string, std::string>>& files) {
        auto last = std::chrono::steady_clock::time_point{};
        std::size_t missing = 0;
        for (const auto& [key, file] : files) {
            const auto it = m_seen.find(file);
            if (it != m_seen.end()) last = std::max(last, it->second.since);
            if (isWhole(file)) continue;
            if (key.find('/') == std::string::npos || std::filesystem::exists(file)) return false;
            ++missing;
        }
        if (missing == 0 || missing == files.size()) return false;
        const bool next = std::any_of(there->begin(), there->end(), [&](const std::string& other) {
            const auto it = m_seen.find(other);
            return it != m_seen.end() && it->second.since > last && isWhole(other) &&
                   std::none_of(files.begin(), files.end(), [&](const auto& f) { return f.second == other; });
        });
        return next || now - last > kLateTile;
    };
    std::vector<std::string> whole;
    for (const std::string& path : *there) {
        if (m_seen[path].given || !isWhole(path)) continue;
        std::vector<std::string> all{path};
        bool late = false;
        if (!naming.empty())
            if (const auto files = image::filesOf(naming, path)) {
                all.clear();
                for (const auto& [key, file] : files->files) all.push_back(file);
                late = m_withHoles.count(files->first()) == 0 && lost(files->files);
                if (late) m_withHoles.insert(files->first());
                else if (m_withHoles.count(files->first())) m_seen[path].given = true; // too late
            }
        if (m_seen[path].given) continue;
        if (!late && !std::all_of(all.begin(), all.end(), isWhole)) continue; // its others are still to come
        for (const std::string& one : all) m_seen[one].given = true;
        whole.push_back(all.front());
    }
    const std::lock_guard lock(m_mutex);
    m_pictures.insert(m_pictures.end(), whole.begin(), whole.end());
}

// None: the list is at its end.
std::optional<std::string> ListSource::nextPicture(const image::Naming& naming)
{
    const std::lock_guard lock(m_mutex);
    for (;;) {
        if (m_at >= m_pictures.size()) {
            if (m_end != End::Again || m_pictures.empty()) return {};
            m_at = 0;
            m_given.clear();
        }
        const std::string picture = m_pictures[m_at++];
        if (naming.empty()) return picture;
        const auto files = image::filesOf(naming, picture);
        if (!files) return picture;
        // What came since is whole and stands there once.
        if (m_given.insert(files->first()).second || m_at > m_listed) return files->first();
    }
}

std::optional<Shot> ListSource::next(const image::Naming& naming)
{
    auto picture = nextPicture(naming);
    const auto waits = [&] {
        const std::lock_guard lock(m_mutex);
        return m_end == End::Wait;
    };
    for (int i = 0; !picture && waits() && i < 8; ++i) { // a second
        lookForNew(naming);
        if ((picture = nextPicture(naming))) break;
        std::this_thread::sleep_for(std::chrono::milliseconds(120));
    }
    if (!picture) return waits() ? std::optional(Shot{}) : std::nullopt;
    Shot shot;
    shot.id = *picture;
    auto files = image::readCapture(naming, shot.id);
    if (files) shot.files = std::move(*files);
    else shot.error = files.error();
    return shot;
}

base::Result<Conveyor> Conveyor::parse(const std::string& text)
{
    Conveyor c;
    double seed = double(c.seed);
    struct Word {
        const char* name;
        double* value;
        double low, high;
    };
    const Word words[] = {{"speed", &c.perMinute, 0, 6000},   {"faults", &c.faults, 0, 1},
                          {"drift", &c.drift, -10, 10},       {"dropped", &c.dropped, 0, 1},
                          {"belt", &c.mmPerSecond, 0, 10000}, {"seed", &seed, 0, 1e9}};
    std::istringstream parts(text);
    for (std::string part; std::getline(parts, part, ',');) {
        const auto equals = part.find('=');
        const Word* word = nullptr;
        for (const Word& w : words)
            if (part.substr(0, equals) == w.name) word = &w;
        if (!word)
            return base::fail(
                base::ErrorCode::InvalidArgument,
                "\"" + part + "\" is not one of: speed=, faults=, drift=, dropped=, belt=, seed=", "station");
        char* end = nullptr;
        const std::string number = equals == std::string::npos ? "" : part.substr(equals + 1);
        const double v = std::strtod(number.c_str(), &end);
        if (number.empty() || *end != '\0' || !(v >= word->low && v <= word->high))
            return base::fail(base::ErrorCode::OutOfRange,
                              std::string(word->name) + " = " + number + " is not a number of " +
                                  base::shortest(word->low) + " .. " + base::shortest(word->high),
                              "station");
        *word->value = v;
    }
    c.seed = std::uint64_t(seed);
    return c;
}

void ConveyorSource::prepare(const recipe::Recipe& recipe)
{
    if (!(recipe.camera == m_settings)) m_said = false;
    m_settings = recipe.camera;
}

std::chrono::steady_clock::duration ConveyorSource::period() const
{
    return std::chrono::duration_cast<std::chrono::steady_clock::duration>(
        std::chrono::duration<double>(60 / m_conveyor.perMinute));
}

// The part that is drawn already, once it is there; an empty shot while it is on its way.
Shot ConveyorSource::whenDue()
{
    const auto waited = std::chrono::steady_clock::now() + std::chrono::milliseconds(500);
    std::this_thread::sleep_until(std::min(*m_due, waited));
    if (*m_due > waited) return {};
    Shot shot = std::move(*m_coming);
    m_coming.reset();
    shot.triggered = *m_due;
    return shot;
}

std::optional<Shot> ConveyorSource::next(const image::Naming& naming)
{
    using Clock = std::chrono::steady_clock;
    if (m_coming) return whenDue();
    Shot shot;
    const double exposure = m_settings.exposure.value_or(kUsualExposure), gain = m_settings.gain.value_or(0);
    const auto refuse = [&](const char* what, double v, double low, double high) {
        if (!m_said)
            shot.id = "simulated", shot.error = base::Error{base::ErrorCode::OutOfRange,
                                                            std::string(what) + " = " + base::shortest(v) +
                                                                " is outside " + base::toText(low, 0) + " .. " +
                                                                base::toText(high, 0) + " of the simulated camera",
                                                            name()};
        else std::this_thread::sleep_for(std::chrono::milliseconds(200));
        m_said = true;
        return shot;
    };
    if (exposure < kLeastExposure || exposure > kMostExposure)
        return refuse("exposure_us", exposure, kLeastExposure, kMostExposure);
    if (gain < 0 || gain > kMostGain) return refuse("gain", gain, 0, kMostGain);
    std::minstd_rand random;
    const auto chance = [&] { return double(random()) / double(std::minstd_rand::max()); };
    for (;;) {
        random.seed(std::uint32_t(m_conveyor.seed * 7919 + std::uint64_t(m_at) * 104729 + 1));
        random.discard(3);
        if (!live() || chance() >= m_conveyor.dropped) break;
        ++m_at, ++m_dropped; // it passes unseen
        if (m_due) *m_due += period();
    }
    Passing part;
    part.number = m_at++;
    part.faulty = chance() < m_conveyor.faults;
    part.light = exposure / kUsualExposure * std::pow(10, gain / 20) *
                 std::max(0.0, 1 - m_conveyor.drift * part.number / 1000.0);
    part.smearMm = m_conveyor.mmPerSecond * exposure * 1e-6;
    part.seed = m_conveyor.seed;
    shot.id = "simulated-" + std::to_string(part.number + 1);
    // Of a capture of several: each at half the light of the one before.
    std::vector<image::Picture> pictures;
    for (std::size_t i = 0; i < std::max<std::size_t>(1, naming.size()); ++i, part.light /= 2)
        pictures.push_back(image::makePicture(m_maker(part), naming.empty() ? std::string() : naming[i].key));
    shot.ready = std::make_shared<const image::Capture>(shot.id, std::move(pictures));
    // It is there when the part is: how long it took to draw counts for nobody.
    shot.triggered = Clock::now();
    if (!live()) return shot;
    m_due = std::max(m_due ? *m_due + period() : *shot.triggered, *shot.triggered);
    m_coming = std::move(shot);
    return whenDue();
}

std::optional<Shot> SimulatedSource::next(const image::Naming&)
{
    const int n = m_at++;
    Shot shot;
    shot.id = "simulated-" + std::to_string(n + 1);
    shot.ready = std::make_shared<const image::Capture>(image::makeCapture(m_maker(n), shot.id));
    return shot;
}

std::optional<Shot> MemorySource::next(const image::Naming&)
{
    if (m_pictures.empty()) return {};
    Shot shot;
    shot.ready = m_pictures[m_at++ % m_pictures.size()];
    shot.id = shot.ready->id();
    return shot;
}

} // namespace station
