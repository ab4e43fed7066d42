// SPDX-License-Identifier: MIT
#pragma once

/// Whether this build runs under a sanitizer: then a call takes ten times as long, and what it looks for shows with
/// fewer of them.
#if defined(__SANITIZE_ADDRESS__)
inline constexpr bool sanitized = true;
#elif defined(__has_feature)
#if __has_feature(address_sanitizer)
inline constexpr bool sanitized = true;
#else
inline constexpr bool sanitized = false;
#endif
#else
inline constexpr bool sanitized = false;
#endif
