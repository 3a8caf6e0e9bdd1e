package bargelane.client;

import picocli.CommandLine.Option;

/** Whether a command follows the run that it began. */
public final class Waiting {

  @Option(names = "--wait", description = "Follow the run until it is over.")
  public boolean wait;
}
