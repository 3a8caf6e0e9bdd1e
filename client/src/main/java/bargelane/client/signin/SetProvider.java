package bargelane.client.signin;

import bargelane.api.GroupRoles;
import bargelane.api.ProviderSet;
import bargelane.api.ProviderView;
import bargelane.client.Common;
import bargelane.client.account.AccountCommands;
import java.nio.file.Path;
import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.ArgGroup;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;

/** Have people sign in through an identity provider. */
@Command(
    name = "set",
    description = {
      "Have people sign in through an identity provider (OpenID Connect), in place of the one there was.",
      "Register this service there with the address that is printed, for the code flow with PKCE."
    },
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane sign-in set --name \"Harbour Office\" --issuer https://id.example --client lane --secret-file lane-secret \\",
      "      --address https://lane.example:8443 --group crew --roles planner,mover \\",
      "      --group lending-owners --roles approver --machines \"label.app = lending\""
    })
final class SetProvider extends Common implements Callable<Integer> {

  @Option(
      names = "--name",
      paramLabel = "NAME",
      required = true,
      description = "What people call it.")
  String name;

  @Option(
      names = "--issuer",
      paramLabel = "URL",
      required = true,
      description = "Its address, as it names itself.")
  String issuer;

  @Option(
      names = "--client",
      paramLabel = "ID",
      required = true,
      description = "This service's id there.")
  String client;

  @Option(
      names = "--secret-file",
      paramLabel = "FILE",
      description =
          "File with this service's secret there. Left out: the one that is kept, if the issuer is the same.")
  Path secretFile;

  @Option(
      names = "--address",
      paramLabel = "URL",
      required = true,
      description = "Where browsers reach this service.")
  String address;

  @Option(
      names = "--scope",
      paramLabel = "SCOPE",
      description = "Asked for besides openid; several times for several. Left out: profile.")
  List<String> scopes;

  @Option(
      names = "--groups-claim",
      paramLabel = "CLAIM",
      description = "What tells the groups of somebody. Left out: groups.")
  String groupsClaim;

  @Option(
      names = "--signed-by",
      paramLabel = "FILE",
      description =
          "Who signed its certificate (PEM). Left out: as it was, or the authorities of the service's system.")
  Path signedBy;

  @ArgGroup(exclusive = false, multiplicity = "1..*", heading = "%nWhat each group may do:%n")
  List<Group> groups;

  /** A group, with what follows it. */
  static final class Group {
    @Option(
        names = "--group",
        paramLabel = "GROUP",
        required = true,
        description = "A group; the first that somebody is in counts.")
    String group;

    @Option(
        names = "--roles",
        paramLabel = "ROLE",
        required = true,
        split = ",",
        description = "Its roles, with commas between: " + AccountCommands.ROLES)
    List<String> roles;

    @Option(
        names = "--machines",
        paramLabel = "FILTER",
        description = "Limit its roles to these machines; all if left out.")
    String machines;

    GroupRoles told() {
      return new GroupRoles(group, roles, machines);
    }
  }

  @Override
  public Integer call() {
    return SignInCommands.print(
        this,
        api()
            .put(
                "/sign-in/provider",
                new ProviderSet(
                    name,
                    issuer,
                    client,
                    secretFile == null
                        ? null
                        : secret("--secret-file", secretFile, SignInCommands.VARIABLE),
                    address,
                    scopes,
                    groupsClaim,
                    signedBy == null ? null : textOf("--signed-by", signedBy),
                    groups.stream().map(Group::told).toList()),
                ProviderView.class),
        output);
  }
}
