#include "plain_bvh.h"

#include <cmath>
#include <sstream>
#include <vector>

namespace mellow::test {
namespace {

using Place = std::array<double, 3>;
using Turn = std::array<std::array<double, 3>, 3>;

struct PlainJoint {
    std::string name;
    int parent = -1;
    Place offset{};
    std::vector<std::string> channels;
};

Turn times(const Turn& a, const Turn& b) {
    Turn out{};
    for (std::size_t i = 0; i < 3; ++i)
        for (std::size_t j = 0; j < 3; ++j)
            for (std::size_t k = 0; k < 3; ++k) out[i][j] += a[i][k] * b[k][j];
    return out;
}

Turn about(char axis, double degrees) {
    const double c = std::cos(degrees * M_PI / 180), s = std::sin(degrees * M_PI / 180);
    if (axis == 'X') return {{{1, 0, 0}, {0, c, -s}, {0, s, c}}};
    if (axis == 'Y') return {{{c, 0, s}, {0, 1, 0}, {-s, 0, c}}};
    return {{{c, -s, 0}, {s, c, 0}, {0, 0, 1}}};
}

std::vector<PlainJoint> hierarchy(std::istream& in) {
    std::vector<PlainJoint> joints;
    std::vector<int> open;
    bool end_site = false;
    for (std::string word; in >> word && word != "MOTION";) {
        if (word == "ROOT" || word == "JOINT" || word == "End") {
            PlainJoint joint;
            in >> joint.name;
            joint.parent = open.empty() ? -1 : open.back();
            end_site = word == "End";
            if (end_site) joint.name = "";
            joints.push_back(joint);
        } else if (word == "{") {
            open.push_back(static_cast<int>(joints.size()) - 1);
        } else if (word == "}") {
            open.pop_back();
        } else if (word == "OFFSET") {
            for (double& v : joints.back().offset) in >> v;
        } else if (word == "CHANNELS") {
            int count = 0;
            in >> count;
            joints.back().channels.resize(static_cast<std::size_t>(count));
            for (std::string& channel : joints.back().channels) in >> channel;
        }
    }
    return joints;
}

}  // namespace

std::map<std::string, Place> plain_bvh_places(const std::string& text, int frame, bool added) {
    std::istringstream in(text);
    const std::vector<PlainJoint> joints = hierarchy(in);
    std::string word;
    while (in >> word && word != "Time:") {
    }
    in >> word;  // the frame time
    std::vector<double> numbers;
    for (int f = 0; f <= frame; ++f) {
        numbers.clear();
        for (const PlainJoint& joint : joints)
            for (std::size_t c = 0; c < joint.channels.size(); ++c) {
                double v = 0;
                in >> v;
                numbers.push_back(v);
            }
    }
    std::map<std::string, Place> out;
    std::vector<Place> places;
    std::vector<Turn> turns;
    std::size_t at = 0;
    for (const PlainJoint& joint : joints) {
        Place local = joint.offset;
        Turn turn{{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}};
        for (const std::string& channel : joint.channels) {
            const double v = numbers[at++];
            const auto axis = static_cast<std::size_t>(channel[0] - 'X');
            if (channel.find("position") != channel.npos)
                local[axis] = added ? local[axis] + v : v;
            else
                turn = times(turn, about(channel[0], v));
        }
        Place world = local;
        if (joint.parent >= 0) {
            const auto up = static_cast<std::size_t>(joint.parent);
            for (std::size_t i = 0; i < 3; ++i) {
                world[i] = places[up][i];
                for (std::size_t k = 0; k < 3; ++k) world[i] += turns[up][i][k] * local[k];
            }
            turn = times(turns[up], turn);
        }
        places.push_back(world);
        turns.push_back(turn);
        if (!joint.name.empty()) out[joint.name] = world;
    }
    return out;
}

}  // namespace mellow::test
