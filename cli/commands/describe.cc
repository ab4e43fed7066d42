// SPDX-License-Identifier: MIT
#include "advice.h"
#include "commands/common.h"

namespace hotstitch::cli {

void run(const DescribeRequest& arguments, const Context& context, Report& report) {
    DescribeRequest request = arguments;
    request.conclude = [](Report& part, const Error& error) { conclude(part, error); };
    describe(request, report, context);
}

}  // namespace hotstitch::cli
