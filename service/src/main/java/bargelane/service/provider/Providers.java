package bargelane.service.provider;

import bargelane.api.GroupRoles;
import bargelane.api.ProviderSet;
import bargelane.api.ProviderView;
import bargelane.service.account.Accounts;
import bargelane.service.account.Rights;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.SettingEntity;
import bargelane.service.site.Vault;
import java.net.URI;
import java.net.URISyntaxException;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.atomic.AtomicReference;
import org.hibernate.Session;

/** The identity provider that people sign in through, if there is one. */
public final class Providers {

  private static final String SETTING = "sign-in-provider";
  private static final String SECRET = "sign-in-secret";
  private static final int MOST_GROUPS = 200;
  private static final int LONGEST = 1000;
  private static final int LONGEST_AUTHORITY = 64 << 10;

  private final Db db;
  private final Vault vault;
  private final Accounts accounts;
  private final Events events;

  /** What was last asked of, so that its keys and addresses are not read each time. */
  private final AtomicReference<ProviderClient> client = new AtomicReference<>();

  public Providers(Db db, Vault vault, Accounts accounts, Events events) {
    this.db = db;
    this.vault = vault;
    this.accounts = accounts;
    this.events = events;
  }

  private record Stored(Provider provider, String secret) {}

  private Optional<Stored> stored(Session s) {
    return Optional.ofNullable(s.find(SettingEntity.class, SETTING))
        .map(x -> new Stored(Json.read(x.value, Provider.class), vault.kept(s, SECRET).orElse("")));
  }

  /**
   * What is known of it, without its secret.
   *
   * @throws ProblemException if there is none
   */
  public ProviderView view() {
    return db.tx(this::stored).orElseThrow(Providers::none).provider.view();
  }

  /** What people call it; empty if there is none. */
  public String name() {
    return db.tx(this::stored).map(x -> x.provider.name()).orElse("");
  }

  private static ProblemException none() {
    return new ProblemException(
        404,
        "provider-none",
        "there is no identity provider to sign in through",
        "sign in with a password, or have a keeper set a provider");
  }

  /**
   * Talks to the provider.
   *
   * @throws ProblemException if there is none
   */
  ProviderClient client() {
    Stored now = db.tx(this::stored).orElseThrow(Providers::none);
    ProviderClient last = client.get();
    if (last == null || !last.is(now.provider, now.secret)) {
      last = new ProviderClient(now.provider, now.secret);
      client.set(last);
    }
    return last;
  }

  /**
   * Takes a provider, in place of the one there was; people of another can no longer sign in.
   *
   * @throws ProblemException if it can't be reached, or is not who it is said to be
   */
  public ProviderView set(ProviderSet asked, String by) {
    Provider wanted = checked(asked);
    Optional<Stored> before =
        db.tx(s -> stored(s).filter(x -> x.provider.issuer().equals(wanted.issuer())));
    String secret =
        asked.secret() == null ? before.map(Stored::secret).orElse("") : asked.secret().strip();
    String authority =
        asked.authority() == null
            ? before.map(x -> x.provider.authority()).orElse("")
            : wanted.authority();
    Provider provider =
        new Provider(
            wanted.name(),
            wanted.issuer(),
            wanted.client(),
            !secret.isEmpty(),
            wanted.address(),
            wanted.scopes(),
            wanted.groupsClaim(),
            authority,
            wanted.groups());
    // Seen before anybody is sent there.
    ProviderClient fresh = new ProviderClient(provider, secret);
    fresh.metadata();
    db.run(
        s -> {
          Db.lock(s, SETTING);
          stored(s)
              .filter(x -> !x.provider.issuer().equals(provider.issuer()))
              .ifPresent(x -> accounts.endOfProvider(s, x.provider.issuer()));
          SettingEntity setting = s.find(SettingEntity.class, SETTING);
          if (setting == null) {
            setting = new SettingEntity();
            setting.name = SETTING;
            setting.value = Json.text(provider);
            s.persist(setting);
          } else {
            setting.value = Json.text(provider);
          }
          vault.keep(s, SECRET, secret);
          events.tell(
              s,
              "account",
              "",
              "",
              by + " has people sign in through " + provider.name() + " too",
              null);
        });
    client.set(fresh);
    accounts.tellEnded();
    return provider.view();
  }

  /** Takes the provider away: sessions and tokens of its people end. */
  public void remove(String by) {
    db.run(
        s -> {
          Db.lock(s, SETTING);
          Stored known = stored(s).orElseThrow(Providers::none);
          accounts.endOfProvider(s, known.provider.issuer());
          s.remove(s.find(SettingEntity.class, SETTING));
          vault.keep(s, SECRET, "");
          events.tell(
              s,
              "account",
              "",
              "",
              by + " ended the sign-in through " + known.provider.name(),
              null);
        });
    accounts.tellEnded();
  }

  private static Provider checked(ProviderSet asked) {
    String issuer = text("issuer", asked.issuer());
    secure("issuer", issuer);
    String address = text("address", asked.address()).replaceAll("/+$", "");
    URI at = secure("address", address);
    if (at.getRawPath() != null && !at.getRawPath().isEmpty()) {
      throw ProblemException.invalid(
          "address-malformed",
          "'" + address + "' has a path: the service is at the top of its address",
          "give it as https://HOST or https://HOST:PORT");
    }
    String authority = asked.authority() == null ? "" : asked.authority().strip();
    if (authority.length() > LONGEST_AUTHORITY) {
      throw ProblemException.invalid(
          "authority-malformed",
          "the authority has more than " + LONGEST_AUTHORITY + " characters",
          "give the certificates that signed the provider's only");
    }
    List<String> scopes = asked.scopes() == null ? List.of("profile") : asked.scopes();
    for (String scope : scopes) {
      if (scope == null || !scope.matches("[!#-\\[\\]-~]{1,200}")) {
        throw ProblemException.invalid(
            "scope-malformed",
            "'" + scope + "' can't be a scope",
            "give scopes one by one, without spaces (RFC 6749, section 3.3)");
      }
    }
    if (asked.groups() == null || asked.groups().isEmpty() || asked.groups().size() > MOST_GROUPS) {
      throw ProblemException.invalid(
          "groups-missing",
          asked.groups() == null || asked.groups().isEmpty()
              ? "no group may do anything"
              : "there are more than " + MOST_GROUPS + " groups",
          "give 1 to " + MOST_GROUPS + " groups and their roles");
    }
    List<GroupRoles> groups = new ArrayList<>();
    for (GroupRoles g : asked.groups()) {
      String group = text("group", g == null ? null : g.group());
      Rights rights = Rights.asked("the group " + group, g.roles(), g.machines());
      groups.add(new GroupRoles(group, rights.words(), rights.machines()));
    }
    return new Provider(
        text("name", asked.name()),
        issuer,
        text("client", asked.client()),
        false,
        address,
        List.copyOf(scopes),
        asked.groupsClaim() == null ? "groups" : text("groupsClaim", asked.groupsClaim()),
        authority,
        groups);
  }

  private static String text(String field, String told) {
    String text = told == null ? "" : told.strip();
    if (text.isEmpty()
        || text.length() > LONGEST
        || text.codePoints().anyMatch(Character::isISOControl)) {
      throw ProblemException.invalid(
          "field-malformed",
          "'" + field + "' is " + (text.isEmpty() ? "missing" : "too long or can't be printed"),
          "give 1 to " + LONGEST + " characters");
    }
    return text;
  }

  private static URI secure(String field, String told) {
    try {
      URI uri = new URI(told);
      if ("https".equals(uri.getScheme())
          && uri.getHost() != null
          && uri.getRawUserInfo() == null
          && uri.getRawQuery() == null
          && uri.getRawFragment() == null) {
        return uri;
      }
    } catch (URISyntaxException e) {
      // Told below.
    }
    throw ProblemException.invalid(
        field + "-malformed",
        "'" + told + "' is no address of a service over TLS",
        "give it as https://HOST or https://HOST:PORT, as it is known to browsers");
  }
}
