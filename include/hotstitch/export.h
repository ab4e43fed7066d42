// SPDX-License-Identifier: MIT
// Symbol visibility: everything is hidden in the shared library unless marked with HOTSTITCH_EXPORT.
#pragma once

#if defined(_WIN32) && defined(HOTSTITCH_SHARED)
#ifdef HOTSTITCH_BUILDING
#define HOTSTITCH_EXPORT __declspec(dllexport)
#else
#define HOTSTITCH_EXPORT __declspec(dllimport)
#endif
#elif defined(__GNUC__)
#define HOTSTITCH_EXPORT __attribute__((visibility("default")))
#else
#define HOTSTITCH_EXPORT
#endif
