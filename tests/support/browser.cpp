#include "browser.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <poll.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <chrono>
#include <map>
#include <stdexcept>
#include <thread>

namespace mellow::test {
namespace {

void sleep_ms(int ms) { std::this_thread::sleep_for(std::chrono::milliseconds(ms)); }

std::string url(const std::filesystem::path& page) {
    std::string out = "file://";
    for (const char c : page.string())
        out += std::isalnum(static_cast<unsigned char>(c)) ||
                       std::string("/._-").find(c) != std::string::npos
                   ? std::string(1, c)
                   : fmt::format("%{:02X}", static_cast<unsigned char>(c));
    return out;
}

}  // namespace

Browser& Browser::shared() {
    static Browser browser;
    return browser;
}

Browser::Browser() {
    std::array<int, 2> to{}, from{};
    if (pipe2(to.data(), O_CLOEXEC) != 0 || pipe2(from.data(), O_CLOEXEC) != 0)
        throw std::runtime_error("no pipe");
    process_ = fork();
    if (process_ == 0) {
        // The browser reads from 3 and writes to 4; both ends are moved out of the way first.
        const int read_end = fcntl(to[0], F_DUPFD, 10), write_end = fcntl(from[1], F_DUPFD, 10);
        dup2(read_end, 3);
        dup2(write_end, 4);
        const int nothing = ::open("/dev/null", O_RDWR);
        dup2(nothing, 1);
        dup2(nothing, 2);
        for (const char* home : {"HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME"})
            setenv(home, profile_.path().c_str(), 1);
        const std::string data = "--user-data-dir=" + profile_.path().string();
        execlp("chromium-headless-shell", "chromium-headless-shell", "--no-sandbox",
               "--use-angle=swiftshader", "--enable-unsafe-swiftshader", "--remote-debugging-pipe",
               data.c_str(), "--host-resolver-rules=MAP * ~NOTFOUND", "--window-size=1280,800",
               "about:blank", nullptr);
        _exit(127);
    }
    close(to[0]);
    close(from[1]);
    in_ = to[1];
    out_ = from[0];
    const Json target = ask("Target.createTarget", {{"url", "about:blank"}})["targetId"];
    page_ = ask("Target.attachToTarget", {{"targetId", target}, {"flatten", true}})["sessionId"];
}

Browser::~Browser() {
    kill(process_, SIGKILL);
    waitpid(process_, nullptr, 0);
}

Browser::Json Browser::told() {
    for (;;) {
        if (const auto end = buffer_.find('\0'); end != buffer_.npos) {
            Json message = Json::parse(buffer_.substr(0, end));
            buffer_.erase(0, end + 1);
            return message;
        }
        pollfd waiting{out_, POLLIN, 0};
        std::array<char, 65536> bytes{};
        const auto count =
            poll(&waiting, 1, 60'000) > 0 ? read(out_, bytes.data(), bytes.size()) : 0;
        if (count <= 0) throw std::runtime_error("the browser says nothing");
        buffer_.append(bytes.data(), static_cast<std::size_t>(count));
    }
}

Browser::Json Browser::ask(const std::string& method, Json parameters) {
    Json message{{"id", ++number_}, {"method", method}, {"params", std::move(parameters)}};
    if (!page_.empty()) message["sessionId"] = page_;
    const std::string text = message.dump() + '\0';
    for (std::size_t at = 0; at < text.size();) {
        const auto count = write(in_, text.data() + at, text.size() - at);
        if (count <= 0) throw std::runtime_error("the browser is gone");
        at += static_cast<std::size_t>(count);
    }
    for (;;)
        if (Json answer = told(); answer.value("id", 0) == number_) {
            EXPECT_FALSE(answer.contains("error")) << method << answer;
            return answer["result"];
        }
}

Browser::Json Browser::run(const std::string& script) {
    const Json answer =
        ask("Runtime.evaluate",
            {{"expression", "(async () => JSON.stringify(await (() => {" + script + "})()))()"},
             {"returnByValue", true},
             {"awaitPromise", true}});
    EXPECT_FALSE(answer.contains("exceptionDetails")) << answer["exceptionDetails"];
    const Json& value = answer["result"];
    return value.contains("value") ? Json::parse(value["value"].get<std::string>()) : Json();
}

void Browser::open(const std::filesystem::path& page, const std::string& hash) {
    ask("Page.navigate", {{"url", "about:blank"}});
    ask("Page.navigate", {{"url", url(page) + hash}});
    for (int i = 0; i < 3000; ++i) {
        const Json ready =
            run("return typeof App !== 'undefined' && (App.started || App.errors.length > 0)");
        if (ready == true) return;
        sleep_ms(10);
    }
    ADD_FAILURE() << page << " did not start";
}

Browser::Json Browser::open(const std::filesystem::path& page, const std::string& hash,
                            const std::string& script) {
    open(page, hash);
    return run(script.empty() ? "return JSON.parse(byId('check').textContent)" : script);
}

void Browser::mouse(const char* type, double x, double y, Json more) {
    more.update({{"type", type}, {"x", x}, {"y", y}});
    ask("Input.dispatchMouseEvent", std::move(more));
}

std::pair<double, double> Browser::middle(const std::string& selector) {
    const Json at =
        run("const r = document.querySelector(" + Json(selector).dump() +
            ").getBoundingClientRect(); return [r.x + r.width / 2, r.y + r.height / 2]");
    return {at[0].get<double>(), at[1].get<double>()};
}

void Browser::click(const std::string& selector, int held_ms) {
    const auto [x, y] = middle(selector);
    const Json left{{"button", "left"}, {"clickCount", 1}};
    mouse("mousePressed", x, y, left);
    sleep_ms(held_ms);
    mouse("mouseReleased", x, y, left);
}

void Browser::drag(const std::string& selector, int dx, int dy, int modifiers) {
    const auto [x, y] = middle(selector);
    const Json left{
        {"button", "left"}, {"buttons", 1}, {"clickCount", 1}, {"modifiers", modifiers}};
    mouse("mousePressed", x, y, left);
    mouse("mouseMoved", x + dx, y + dy, left);
    mouse("mouseReleased", x + dx, y + dy, left);
}

void Browser::wheel(const std::string& selector, int by) {
    const auto [x, y] = middle(selector);
    mouse("mouseWheel", x, y, {{"deltaX", 0}, {"deltaY", by}});
}

void Browser::touch(const std::string& selector, const std::vector<std::pair<int, int>>& fingers) {
    const auto [x, y] = middle(selector);
    Json begin = Json::array(), end = begin;
    for (std::size_t i = 0; i < fingers.size(); ++i) {
        begin.push_back({{"x", x + fingers[i].first}, {"y", y}, {"id", i}});
        end.push_back({{"x", x + fingers[i].second}, {"y", y}, {"id", i}});
    }
    ask("Input.dispatchTouchEvent", {{"type", "touchStart"}, {"touchPoints", begin}});
    ask("Input.dispatchTouchEvent", {{"type", "touchMove"}, {"touchPoints", end}});
    ask("Input.dispatchTouchEvent", {{"type", "touchEnd"}, {"touchPoints", Json::array()}});
}

void Browser::key(const std::string& name) {
    static const std::map<std::string, int> kCodes{
        {" ", 32},          {"Enter", 13},     {"Escape", 27},    {"Tab", 9},
        {"End", 35},        {"Home", 36},      {"ArrowLeft", 37}, {"ArrowUp", 38},
        {"ArrowRight", 39}, {"ArrowDown", 40}, {"PageUp", 33},    {"PageDown", 34}};
    const auto code = kCodes.find(name);
    Json event{
        {"key", name},
        {"windowsVirtualKeyCode", code == kCodes.end() ? std::toupper(name[0]) : code->second}};
    const bool types = name.size() == 1 || name == "Enter";
    if (types) event["text"] = name == "Enter" ? "\r" : name;
    event["type"] = types ? "keyDown" : "rawKeyDown";
    ask("Input.dispatchKeyEvent", event);
    event["type"] = "keyUp";
    event.erase("text");
    ask("Input.dispatchKeyEvent", event);
}

}  // namespace mellow::test
