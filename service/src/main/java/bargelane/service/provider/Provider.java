package bargelane.service.provider;

import bargelane.api.GroupRoles;
import bargelane.api.ProviderView;
import java.util.Collection;
import java.util.List;
import java.util.Optional;

/**
 * An identity provider as it is stored. What its fields mean: {@link bargelane.api.ProviderSet}.
 */
record Provider(
    String name,
    String issuer,
    String client,
    boolean secret,
    String address,
    List<String> scopes,
    String groupsClaim,
    String authority,
    List<GroupRoles> groups) {

  /** Where it sends people back to. */
  String redirect() {
    return address + "/api/v1" + ProviderApi.RETURN;
  }

  /** What somebody in these groups may do; nothing if none of them is known. */
  Optional<GroupRoles> of(Collection<String> in) {
    return groups.stream().filter(g -> in.contains(g.group())).findFirst();
  }

  ProviderView view() {
    return new ProviderView(
        name,
        issuer,
        client,
        secret,
        address,
        redirect(),
        scopes,
        groupsClaim,
        !authority.isEmpty(),
        groups);
  }
}
