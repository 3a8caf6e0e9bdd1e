package bargelane.client.dossier;

import static bargelane.client.Output.*;

import picocli.CommandLine.Command;

/** Dossiers: the records of finished moves. */
@Command(
    name = "dossier",
    description = "Dossiers: the records of finished moves.",
    mixinStandardHelpOptions = true,
    subcommands = {ListDossiers.class, Show.class})
public final class DossierCommands {}
