package bargelane.client.audit;

import picocli.CommandLine.Command;

/** Who asked for what to be changed, and what was refused. */
@Command(
    name = "audit",
    description = "Who asked for what to be changed, and what was refused.",
    mixinStandardHelpOptions = true,
    subcommands = {ListAudit.class, Check.class, Export.class})
public final class AuditCommands {}
