package bargelane.client.assessment;

import static bargelane.client.Output.*;

import picocli.CommandLine.Command;

/** Assessments: what machines need at a target, whether they go, and what it costs. */
@Command(
    name = "assessment",
    description = "Assessments: what machines need at a target, whether they go, what it costs.",
    mixinStandardHelpOptions = true,
    subcommands = {
      ListAssessments.class,
      Add.class,
      Edit.class,
      Show.class,
      Machines.class,
      Machine.class,
      Compare.class,
      WhatIf.class,
      Accept.class,
      Costs.class,
      Report.class,
      Remove.class
    })
public final class AssessmentCommands {}
