package bargelane.client.signin;

import bargelane.api.GroupRoles;
import bargelane.api.ProviderView;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Output;
import picocli.CommandLine.Command;

/** How people sign in besides by a password. */
@Command(
    name = "sign-in",
    description = "The identity provider (OpenID Connect) that people sign in through.",
    mixinStandardHelpOptions = true,
    subcommands = {Show.class, SetProvider.class, Remove.class})
public final class SignInCommands {

  static final String VARIABLE = "BARGELANE_SECRET";

  static int print(Common command, Answer<ProviderView> answer, Output.Form form) {
    var out = command.out();
    if (form == Output.Form.json) {
      Output.json(out, answer.json());
      return 0;
    }
    ProviderView p = answer.value();
    out.println("People sign in through " + p.name() + ", " + p.issuer());
    out.println("  this service's id there  " + p.client() + (p.secret() ? ", with a secret" : ""));
    out.println("  sends people back to     " + p.redirect());
    out.println(
        "  certificate signed by    "
            + (p.authority() ? "an authority of its own" : "this system's authorities"));
    out.println("  scopes asked for         openid " + String.join(" ", p.scopes()));
    out.println("  claim of the groups      " + p.groupsClaim());
    out.println("The first of these groups that somebody is in counts:");
    for (GroupRoles g : p.groups()) {
      out.println(
          "  "
              + g.group()
              + ": "
              + String.join(", ", g.roles())
              + (g.machines().isEmpty()
                  ? ""
                  : ", for the machines of \"" + g.machines() + "\" only"));
    }
    return 0;
  }
}
