package bargelane.client.signin;

import bargelane.api.ProviderView;
import bargelane.client.Common;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;

/** Show the identity provider, and what its groups may do. */
@Command(
    name = "show",
    description = "Show the identity provider, and what its groups may do.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane sign-in show"})
final class Show extends Common implements Callable<Integer> {
  @Override
  public Integer call() {
    return SignInCommands.print(this, api().get("/sign-in/provider", ProviderView.class), output);
  }
}
