package bargelane.client.estate;

import picocli.CommandLine.Command;

/** Estate files: what an installation is set up with, in one file. */
@Command(
    name = "estate",
    description =
        "Estate files: sites, timetables, label rules, lanes and waves in one file, to keep beside other files, to edit"
            + " in one go, or to set up another installation with. Secrets are not in them.",
    mixinStandardHelpOptions = true,
    subcommands = {Export.class, Compare.class, Import.class, SchemaOf.class})
public final class EstateCommands {}
