package bargelane.client;

import picocli.CommandLine.Option;

/** Whether a command follows the run that it began. */
final class Waiting {

  @Option(names = "--wait", description = "Follow the run until it is over.")
  boolean wait;
}
