package bargelane.client.finding;

import picocli.CommandLine.Command;

/** What findings mean. */
@Command(
    name = "finding",
    description = "What findings mean, and what is usually done about them.",
    mixinStandardHelpOptions = true,
    subcommands = {ListFindings.class, Show.class})
public final class FindingCommands {}
