package bargelane.client.approval;

import picocli.CommandLine.Command;

/** Approvals: who asked for what, and who answered. */
@Command(
    name = "approval",
    description = "Approvals: who asked for what, and who answered.",
    mixinStandardHelpOptions = true,
    subcommands = {
      ListApprovals.class,
      Show.class,
      Ask.class,
      Approve.class,
      Decline.class,
      Withdraw.class
    })
public final class ApprovalCommands {}
