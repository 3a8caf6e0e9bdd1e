package bargelane.client.agent;

import static bargelane.client.Output.*;

import picocli.CommandLine.Command;

/** Agents in guests. */
@Command(
    name = "agent",
    description = "Agents of sites of kind agents: each reports the machine it runs on.",
    mixinStandardHelpOptions = true,
    subcommands = {ListAgents.class, Key.class, Approve.class, Remove.class})
public final class AgentCommands {}
