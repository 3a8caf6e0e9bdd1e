package bargelane.client.signin;

import bargelane.client.Common;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;

/** End the sign-in through the provider; sessions and tokens of its people end too. */
@Command(
    name = "remove",
    description =
        "End the sign-in through the provider; sessions and tokens of its people end too.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane sign-in remove"})
final class Remove extends Common implements Callable<Integer> {
  @Override
  public Integer call() {
    api().delete("/sign-in/provider");
    out().println("People sign in with passwords only.");
    return 0;
  }
}
