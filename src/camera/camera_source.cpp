#include "camera/camera_source.h"

#include <algorithm>
#include <arv.h>
#include <chrono>
#include <thread>

namespace camera
{
using base::ErrorCode;

namespace
{
// GLib's errors as ours.
struct Fault {
    GError* error = nullptr;
    ~Fault() { g_clear_error(&error); }
    GError** out() // cleared before it is used again
    {
        g_clear_error(&error);
        return &error;
    }
    bool failed() const { return error != nullptr; }
    std::string text() const { return error ? error->message : ""; }
};
std::string said(const char* text) { return text ? text : ""; }
// Discovery is not made for several threads at once.
std::mutex& discovery()
{
    static std::mutex m;
    return m;
}
std::string number(double v) { return base::shortest(v); }

// Colours of a Bayer picture: each missing one is the mean of its nearest neighbours. `redX`, `redY`: where the first red
// pixel lies in the two by two cell.
template <class Sample> image::Image fromBayer(const Sample* from, int width, int height, int redX, int redY)
{
    image::Image out(width, height, sizeof(Sample) == 1 ? image::PixelFormat::Colour8 : image::PixelFormat::Colour16);
    const auto at = [&](int x, int y) {
        x = x < 0 ? -x : x >= width ? 2 * width - 2 - x : x; // mirrored: the cell stays the same
        y = y < 0 ? -y : y >= height ? 2 * height - 2 - y : y;
        return int(from[std::size_t(std::clamp(y, 0, height - 1)) * std::size_t(width) +
                        std::size_t(std::clamp(x, 0, width - 1))]);
    };
    for (int y = 0; y < height; ++y) {
        Sample* row = reinterpret_cast<Sample*>(out.row(y));
        for (int x = 0; x < width; ++x) {
            const bool redColumn = (x & 1) == redX, redRow = (y & 1) == redY;
            const int own = at(x, y), beside = (at(x - 1, y) + at(x + 1, y) + 1) / 2,
                      above = (at(x, y - 1) + at(x, y + 1) + 1) / 2,
                      cross = (at(x - 1, y) + at(x + 1, y) + at(x, y - 1) + at(x, y + 1) + 2) / 4,
                      corners = (at(x - 1, y - 1) + at(x + 1, y - 1) + at(x - 1, y + 1) + at(x + 1, y + 1) + 2) / 4;
            int r = 0, g = 0, b = 0;
            if (redColumn && redRow) r = own, g = cross, b = corners;
            else if (!redColumn && !redRow) b = own, g = cross, r = corners;
            else if (redRow) g = own, r = beside, b = above;
            else g = own, r = above, b = beside;
            row[3 * x] = Sample(r), row[3 * x + 1] = Sample(g), row[3 * x + 2] = Sample(b);
        }
    }
    return out;
}

// How samples of more than 8 bits lie in the bytes. Packed: two samples in three bytes, the upper bits first, as GigE
// Vision has it; Tight: one after another from the lowest bit on, as PFNC's names that end in p.
enum class Lie { Byte, Word, Packed, Tight };
struct Format {
    std::uint32_t code; // PFNC
    int bits;
    Lie lie;
    int redX, redY; // of Bayer; -1: grey
};
constexpr Format kFormats[] = {
    {0x01080001, 8, Lie::Byte, -1, -1},
    {0x01100003, 10, Lie::Word, -1, -1},
    {0x01100005, 12, Lie::Word, -1, -1},
    {0x01100025, 14, Lie::Word, -1, -1},
    {0x01100007, 16, Lie::Word, -1, -1},
    {0x010C0004, 10, Lie::Packed, -1, -1},
    {0x010C0006, 12, Lie::Packed, -1, -1},
    {0x010A0046, 10, Lie::Tight, -1, -1},
    {0x010C0047, 12, Lie::Tight, -1, -1},
    // Bayer GR, RG, GB, BG
    {0x01080008, 8, Lie::Byte, 1, 0},
    {0x01080009, 8, Lie::Byte, 0, 0},
    {0x0108000A, 8, Lie::Byte, 0, 1},
    {0x0108000B, 8, Lie::Byte, 1, 1},
    {0x0110000C, 10, Lie::Word, 1, 0},
    {0x0110000D, 10, Lie::Word, 0, 0},
    {0x0110000E, 10, Lie::Word, 0, 1},
    {0x0110000F, 10, Lie::Word, 1, 1},
    {0x01100010, 12, Lie::Word, 1, 0},
    {0x01100011, 12, Lie::Word, 0, 0},
    {0x01100012, 12, Lie::Word, 0, 1},
    {0x01100013, 12, Lie::Word, 1, 1},
    {0x0110002E, 16, Lie::Word, 1, 0},
    {0x0110002F, 16, Lie::Word, 0, 0},
    {0x01100030, 16, Lie::Word, 0, 1},
    {0x01100031, 16, Lie::Word, 1, 1},
    {0x010C0026, 10, Lie::Packed, 1, 0},
    {0x010C0027, 10, Lie::Packed, 0, 0},
    {0x010C0028, 10, Lie::Packed, 0, 1},
    {0x010C0029, 10, Lie::Packed, 1, 1},
    {0x010C002A, 12, Lie::Packed, 1, 0},
    {0x010C002B, 12, Lie::Packed, 0, 0},
    {0x010C002C, 12, Lie::Packed, 0, 1},
    {0x010C002D, 12, Lie::Packed, 1, 1},
    {0x010A0056, 10, Lie::Tight, 1, 0},
    {0x010A0058, 10, Lie::Tight, 0, 0},
    {0x010A0054, 10, Lie::Tight, 0, 1},
    {0x010A0052, 10, Lie::Tight, 1, 1},
    {0x010C0057, 12, Lie::Tight, 1, 0},
    {0x010C0059, 12, Lie::Tight, 0, 0},
    {0x010C0055, 12, Lie::Tight, 0, 1},
    {0x010C0053, 12, Lie::Tight, 1, 1},
};
std::size_t bytesOf(const Format& f, std::size_t samples)
{
    switch (f.lie) {
    case Lie::Byte: return samples;
    case Lie::Word: return 2 * samples;
    case Lie::Packed: return (samples * 3 + 1) / 2;
    case Lie::Tight: return (samples * std::size_t(f.bits) + 7) / 8;
    }
    return 0;
}
// Sample i, 0 .. 2^bits - 1.
unsigned sampleOf(const Format& f, const std::uint8_t* from, std::size_t i)
{
    const unsigned rest = unsigned(f.bits - 8), mask = (1U << f.bits) - 1;
    switch (f.lie) {
    case Lie::Byte: return from[i];
    case Lie::Word: return std::min(from[2 * i] | unsigned(from[2 * i + 1]) << 8, mask); // little end first
    case Lie::Packed: {
        const std::uint8_t* three = from + i / 2 * 3;
        const unsigned low = i % 2 ? three[1] >> 4 : three[1];
        return unsigned(three[i % 2 ? 2 : 0]) << rest | (low & ((1U << rest) - 1));
    }
    case Lie::Tight: {
        const std::size_t bit = i * std::size_t(f.bits), byte = bit / 8;
        const unsigned two = from[byte] | unsigned(from[byte + 1]) << 8; // a sample never reaches a third byte
        return two >> (bit % 8) & mask;
    }
    }
    return 0;
}
} // namespace

std::vector<Found> cameras()
{
    const std::lock_guard lock(discovery());
    arv_update_device_list();
    std::vector<Found> out;
    for (unsigned i = 0; i < arv_get_n_devices(); ++i)
        out.push_back({said(arv_get_device_id(i)), said(arv_get_device_vendor(i)), said(arv_get_device_model(i)),
                       said(arv_get_device_serial_nbr(i)), said(arv_get_device_address(i))});
    return out;
}

base::Result<image::Image> pictureOf(const void* bytes, std::size_t size, int width, int height, std::uint32_t format)
{
    const auto* from = static_cast<const std::uint8_t*>(bytes);
    if (width < 1 || height < 1 || width > 100000 || height > 100000)
        return base::fail(ErrorCode::Corrupt, "a frame of " + std::to_string(width) + " × " + std::to_string(height));
    const std::size_t n = std::size_t(width) * std::size_t(height);
    const auto missing = [&] {
        return base::fail(ErrorCode::Corrupt, "the frame has " + std::to_string(size) + " bytes, too few");
    };
    if (format == ARV_PIXEL_FORMAT_RGB_8_PACKED || format == ARV_PIXEL_FORMAT_BGR_8_PACKED) {
        if (!from || size < 3 * n) return missing();
        image::Image out(width, height, image::PixelFormat::Colour8);
        const bool swapped = format == ARV_PIXEL_FORMAT_BGR_8_PACKED;
        for (int y = 0; y < height; ++y)
            for (int x = 0; x < width; ++x)
                for (int c = 0; c < 3; ++c)
                    out.row(y)[3 * x + c] = from[3 * (std::size_t(y) * std::size_t(width) + std::size_t(x)) +
                                                 std::size_t(swapped ? 2 - c : c)];
        return out;
    }
    const auto* f =
        std::find_if(std::begin(kFormats), std::end(kFormats), [&](const Format& one) { return one.code == format; });
    if (f == std::end(kFormats)) {
        const char* name = arv_pixel_format_to_gst_caps_string(format);
        char code[20];
        std::snprintf(code, sizeof code, "0x%08x", format);
        return base::fail(ErrorCode::Unsupported,
                          std::string("pixel format ") + code + (name ? std::string(" (") + name + ")" : "") +
                              " is not read; choose Mono8 to Mono16, RGB8, BGR8 or Bayer of 8 to 16 bits");
    }
    if (!from || size < bytesOf(*f, n)) return missing();
    if (f->lie == Lie::Byte) {
        if (f->redX >= 0) return fromBayer(from, width, height, f->redX, f->redY);
        image::Image out(width, height, image::PixelFormat::Grey8);
        for (int y = 0; y < height; ++y) std::copy_n(from + std::size_t(y) * std::size_t(width), width, out.row(y));
        return out;
    }
    // Full scale is full scale, whatever the depth.
    const unsigned most = (1U << f->bits) - 1;
    const auto full = [&](std::size_t i) {
        return std::uint16_t((sampleOf(*f, from, i) * 65535ULL + most / 2) / most);
    };
    if (f->redX >= 0) {
        std::vector<std::uint16_t> samples(n);
        for (std::size_t i = 0; i < n; ++i) samples[i] = full(i);
        return fromBayer(samples.data(), width, height, f->redX, f->redY);
    }
    image::Image out(width, height, image::PixelFormat::Grey16);
    for (int y = 0; y < height; ++y) {
        auto* row = reinterpret_cast<std::uint16_t*>(out.row(y));
        for (int x = 0; x < width; ++x) row[x] = full(std::size_t(y) * std::size_t(width) + std::size_t(x));
    }
    return out;
}

struct CameraSource::Device {
    ArvCamera* camera = nullptr;
    ArvStream* stream = nullptr;
    std::atomic<bool> lost{false};
    bool acquiring = false;
    std::atomic<std::uint64_t>* packets = nullptr; // lost on the way, of all streams so far
    // Of the stream that ends, or stands.
    void countPackets()
    {
        if (!packets || !stream || !ARV_IS_GV_STREAM(stream)) return;
        guint64 resent = 0, missing = 0;
        arv_gv_stream_get_statistics(ARV_GV_STREAM(stream), &resent, &missing);
        *packets += missing - counted;
        counted = missing;
    }
    guint64 counted = 0;
    ~Device()
    {
        if (camera && acquiring) arv_camera_stop_acquisition(camera, nullptr);
        countPackets();
        if (camera) g_signal_handlers_disconnect_by_data(arv_camera_get_device(camera), this);
        g_clear_object(&stream);
        g_clear_object(&camera);
    }
};

CameraSource::CameraSource(std::string id) : m_id(std::move(id)) {}
CameraSource::~CameraSource() = default;

base::Result<std::unique_ptr<CameraSource>> CameraSource::open(const std::string& id)
{
    const auto there = cameras();
    std::string known;
    for (const Found& f : there) known += (known.empty() ? "" : ", ") + f.id;
    const auto it = std::find_if(there.begin(), there.end(), [&](const Found& f) {
        return id.empty() || f.id == id || f.serial == id || f.address == id;
    });
    if (it == there.end())
        return base::fail(ErrorCode::NotFound, (id.empty() ? "no camera answers" : "no camera \"" + id + "\" answers") +
                                                   (known.empty() ? std::string() : "; there are " + known));
    std::unique_ptr<CameraSource> out(new CameraSource(it->id));
    if (auto ok = out->connect(); !ok) return base::passOn(ok.error());
    return out;
}

base::Status CameraSource::connect()
{
    const std::lock_guard lock(discovery());
    arv_update_device_list();
    auto device = std::make_unique<Device>();
    Fault fault;
    device->camera = arv_camera_new(m_id.c_str(), fault.out());
    if (!device->camera) return base::fail(ErrorCode::NotFound, "the camera is not there: " + fault.text(), m_id);
    g_signal_connect(arv_camera_get_device(device->camera), "control-lost",
                     G_CALLBACK(+[](ArvDevice*, gpointer self) { static_cast<Device*>(self)->lost = true; }),
                     device.get());
    // Plain sockets: they see loopback too and need no rights.
    if (ArvDevice* d = arv_camera_get_device(device->camera); ARV_IS_GV_DEVICE(d)) {
        if (!arv_gv_device_is_controller(ARV_GV_DEVICE(d)))
            return base::fail(ErrorCode::Io, "another program has the camera", m_id);
        arv_gv_device_set_stream_options(ARV_GV_DEVICE(d), ARV_GV_STREAM_OPTION_PACKET_SOCKET_DISABLED);
    }
    m_device = std::move(device);
    m_device->packets = &m_packets;
    m_applied = false;
    return {};
}

void CameraSource::disconnect()
{
    m_device.reset();
    m_applied = false;
}

void CameraSource::prepare(const recipe::Recipe& recipe)
{
    if (m_prepared && recipe.camera == m_settings) return;
    m_settings = recipe.camera;
    m_prepared = true, m_applied = false, m_said = false;
}

// Sets what the recipe wants, reads it back, and starts.
base::Status CameraSource::apply()
{
    ArvCamera* const c = m_device->camera;
    Fault fault;
    const auto broken = [&](const std::string& what) {
        return base::fail(ErrorCode::Io, what + ": " + fault.text(), m_id);
    };
    const auto outside = [&](const std::string& what, double wanted, double low, double high) {
        return base::fail(ErrorCode::OutOfRange,
                          what + " = " + number(wanted) + " is outside " + number(low) + " .. " + number(high) +
                              " of the camera",
                          m_id);
    };
    if (m_device->acquiring) {
        arv_camera_stop_acquisition(c, fault.out());
        m_device->acquiring = false;
    }
    m_device->countPackets();
    m_device->counted = 0;
    g_clear_object(&m_device->stream);
    if (!m_settings.format.empty()) {
        arv_camera_set_pixel_format_from_string(c, m_settings.format.c_str(), fault.out());
        if (fault.failed()) {
            guint n = 0;
            Fault listing;
            const char** all = arv_camera_dup_available_pixel_formats_as_strings(c, &n, listing.out());
            std::string known;
            for (guint i = 0; i < n; ++i) known += (i ? ", " : "") + said(all[i]);
            g_free(all);
            return base::fail(ErrorCode::OutOfRange,
                              "format = " + m_settings.format + " is not one of the camera's: " + known, m_id);
        }
    }
    if (const auto& w = m_settings.window) {
        int low = 0, high = 0;
        arv_camera_get_width_bounds(c, &low, &high, fault.out());
        if (w->width < low || w->width > high) return outside("window: width", w->width, low, high);
        arv_camera_get_height_bounds(c, &low, &high, fault.out());
        if (w->height < low || w->height > high) return outside("window: height", w->height, low, high);
        arv_camera_set_region(c, w->x, w->y, w->width, w->height, fault.out());
        if (fault.failed()) return broken("window");
        int x = 0, y = 0, width = 0, height = 0;
        arv_camera_get_region(c, &x, &y, &width, &height, fault.out());
        if (width != w->width || height != w->height)
            return base::fail(ErrorCode::OutOfRange,
                              "window: the camera takes " + std::to_string(width) + " × " + std::to_string(height) +
                                  " instead of " + std::to_string(w->width) + " × " + std::to_string(w->height),
                              m_id);
    }
    if (m_settings.exposure) {
        double low = 0, high = 0;
        arv_camera_get_exposure_time_bounds(c, &low, &high, fault.out());
        if (!fault.failed() && (*m_settings.exposure < low || *m_settings.exposure > high))
            return outside("exposure_us", *m_settings.exposure, low, high);
        arv_camera_set_exposure_time(c, *m_settings.exposure, fault.out());
        if (fault.failed()) return broken("exposure_us");
        const double now = arv_camera_get_exposure_time(c, fault.out());
        if (fault.failed() || std::abs(now - *m_settings.exposure) > std::max(1.0, 0.02 * *m_settings.exposure))
            return base::fail(ErrorCode::OutOfRange,
                              "exposure_us = " + number(*m_settings.exposure) + ": the camera keeps " + number(now),
                              m_id);
    }
    if (m_settings.gain) {
        double low = 0, high = 0;
        arv_camera_get_gain_bounds(c, &low, &high, fault.out());
        if (!fault.failed() && (*m_settings.gain < low || *m_settings.gain > high))
            return outside("gain", *m_settings.gain, low, high);
        arv_camera_set_gain(c, *m_settings.gain, fault.out());
        if (fault.failed()) return broken("gain");
    }
    if (m_settings.trigger.empty()) arv_camera_clear_triggers(c, fault.out());
    else
        arv_camera_set_trigger(c, m_settings.trigger == "software" ? "Software" : m_settings.trigger.c_str(),
                               fault.out());
    if (fault.failed() && !m_settings.trigger.empty()) return broken("trigger = " + m_settings.trigger);
    arv_camera_set_acquisition_mode(c, ARV_ACQUISITION_MODE_CONTINUOUS, fault.out());
    // As few and large packets as the way carries, and room for a whole picture of them.
    if (arv_camera_is_gv_device(c)) arv_camera_gv_auto_packet_size(c, nullptr);
    m_device->stream = arv_camera_create_stream(c, nullptr, nullptr, fault.out());
    if (m_device->stream && ARV_IS_GV_STREAM(m_device->stream))
        g_object_set(m_device->stream, "socket-buffer", ARV_GV_STREAM_SOCKET_BUFFER_FIXED, "socket-buffer-size",
                     16 << 20, "packet-resend", ARV_GV_STREAM_PACKET_RESEND_ALWAYS, nullptr);
    if (!m_device->stream) return broken("the camera gives no stream");
    const guint payload = arv_camera_get_payload(c, fault.out());
    if (fault.failed()) return broken("payload");
    for (int i = 0; i < 8; ++i) arv_stream_push_buffer(m_device->stream, arv_buffer_new(payload, nullptr));
    arv_camera_start_acquisition(c, fault.out());
    if (fault.failed()) return broken("the camera does not start");
    m_device->acquiring = true;
    std::this_thread::sleep_for(std::chrono::milliseconds(60)); // its stream stands before the first trigger
    return {};
}

std::optional<station::Shot> CameraSource::next(const image::Naming&)
{
    const auto trouble = [&](base::Error error) {
        station::Shot shot;
        if (m_said) { // once; then it waits
            std::this_thread::sleep_for(std::chrono::milliseconds(300));
            return shot;
        }
        m_said = true;
        shot.id = m_id;
        shot.error = std::move(error);
        return shot;
    };
    if (m_device && m_device->lost) {
        ++m_lost;
        m_said = false;
        disconnect();
        return trouble({ErrorCode::Io, "the camera is lost; it is looked for", m_id});
    }
    if (!m_device) {
        if (auto ok = connect(); !ok) return trouble(ok.error());
        m_said = false;
    }
    if (!m_applied) {
        if (auto ok = apply(); !ok) return trouble(ok.error());
        m_applied = true, m_said = false;
    }
    Fault fault;
    const bool software = m_settings.trigger == "software";
    if (software) arv_camera_software_trigger(m_device->camera, fault.out());
    // In parts, so that a camera that goes away is noticed.
    ArvBuffer* buffer = arv_stream_timeout_pop_buffer(m_device->stream, 400000);
    // The part still lies there: what came incomplete on our own trigger is asked for again.
    for (int again = 0; software && again < 3 && buffer && arv_buffer_get_status(buffer) != ARV_BUFFER_STATUS_SUCCESS;
         ++again) {
        ++m_incomplete;
        arv_stream_push_buffer(m_device->stream, buffer);
        arv_camera_software_trigger(m_device->camera, fault.out());
        buffer = arv_stream_timeout_pop_buffer(m_device->stream, 400000);
    }
    if (!buffer) {
        if (software && !m_device->lost)
            return trouble({ErrorCode::Io,
                            "the camera gives no picture on its trigger" + (fault.failed() ? ": " + fault.text() : ""),
                            m_id});
        return station::Shot{};
    }
    station::Shot shot;
    const std::uint64_t n = ++m_frames;
    shot.id = m_id + "-" + std::to_string(n);
    if (const auto status = arv_buffer_get_status(buffer); status != ARV_BUFFER_STATUS_SUCCESS) {
        ++m_incomplete;
        shot.error = base::Error{ErrorCode::Corrupt,
                                 "the picture came incomplete (status " + std::to_string(int(status)) + ")", m_id};
    } else {
        std::size_t size = 0;
        const void* bytes = arv_buffer_get_image_data(buffer, &size);
        auto made = pictureOf(bytes, size, arv_buffer_get_image_width(buffer), arv_buffer_get_image_height(buffer),
                              arv_buffer_get_image_pixel_format(buffer));
        if (!made) shot.error = made.error();
        else {
            shot.ready = std::make_shared<const image::Capture>(image::makeCapture(std::move(*made), shot.id));
        }
    }
    arv_stream_push_buffer(m_device->stream, buffer);
    m_device->countPackets();
    return shot;
}

std::optional<double> CameraSource::exposure() const
{
    Fault fault;
    if (!m_device) return {};
    const double v = arv_camera_get_exposure_time(m_device->camera, fault.out());
    return fault.failed() ? std::nullopt : std::optional(v);
}
std::optional<std::pair<double, double>> CameraSource::exposureBounds()
{
    Fault fault;
    std::pair<double, double> out;
    if (!m_device) return {};
    arv_camera_get_exposure_time_bounds(m_device->camera, &out.first, &out.second, fault.out());
    return fault.failed() || !(out.second > out.first) ? std::nullopt : std::optional(out);
}
std::optional<double> CameraSource::gain() const
{
    Fault fault;
    if (!m_device) return {};
    const double v = arv_camera_get_gain(m_device->camera, fault.out());
    return fault.failed() ? std::nullopt : std::optional(v);
}

} // namespace camera
