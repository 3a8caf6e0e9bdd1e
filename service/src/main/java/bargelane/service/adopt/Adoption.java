package bargelane.service.adopt;

import bargelane.api.AdoptRequest;
import bargelane.api.AdoptionView;
import bargelane.api.AdoptionWave;
import bargelane.api.FindingView;
import bargelane.api.LeftoverView;
import bargelane.core.finding.Action;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Remedy;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.SiteKind;
import bargelane.service.platform.Db;
import bargelane.service.platform.ProblemException;
import bargelane.service.replication.Manifest;
import bargelane.service.replication.Services;
import bargelane.service.replication.TowEntity;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.Sites;
import bargelane.sites.SiteDriver;
import bargelane.sites.SiteException;
import bargelane.sites.Target;
import bargelane.sites.Target.Owned;
import bargelane.sites.Target.PointRef;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.function.Predicate;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.hibernate.Session;

/**
 * Takes over what another service replicated to a site, from the manifests beside its points: when
 * that service is lost together with the machines, this one starts them. What the manifests don't
 * tell is asked for or told; nothing at the site is removed that was not asked for.
 *
 * <p>Cost: a look reads one file for each point at the site.
 */
public final class Adoption {

  private static final Pattern OWNER =
      Pattern.compile("bargelane/[^/]{1,64}/([a-z]{1,8}-[a-z0-9]{1,40})");

  private static final String TAG = "bargelane/";

  private final Services services;
  private final Takeover takeover;
  private final InTheWay inTheWay;

  public Adoption(Services services) {
    this.services = services;
    this.takeover = new Takeover(services);
    this.inTheWay = new InTheWay(services);
  }

  /** A site and what was found there. */
  private record Look(SiteEntity site, List<Found> tows, List<Owned> left) {}

  /** What of other services is at a site, and what is in the way of taking it over. */
  public AdoptionView look(String ref) {
    Look look = read(ref);
    AdoptRequest nothing = new AdoptRequest("", List.of(), false, false);
    return services.db().tx(s -> view(s, look, nothing, Set.of()));
  }

  /**
   * Takes waves over: all of those that are asked for, or none.
   *
   * @throws ProblemException if one is not there, or something is in its way
   */
  public AdoptionView adopt(String ref, AdoptRequest asked, String by) {
    Look look = read(ref);
    if (!look.site.name.equals(asked.confirm())) {
      throw ProblemException.invalid(
          "not-confirmed",
          "to take over what another service made at " + look.site.name + " is not confirmed",
          "type the site's name: --confirm " + look.site.name);
    }
    List<Found> chosen = chosen(look, asked);
    services.db().run(s -> mayBe(s, look.site, chosen, asked));
    // From here on the service that made them changes nothing any more, should it come back.
    long epoch =
        services
            .db()
            .tx(
                s ->
                    services
                        .runs()
                        .relieve(s, chosen.stream().mapToLong(Found::epoch).max().orElse(0)));
    chosen.forEach(f -> takeover.mark(look.site, f, epoch));
    services
        .db()
        .run(
            s -> {
              Db.lock(s, "adopt");
              mayBe(s, look.site, chosen, asked);
              SiteEntity site = s.find(SiteEntity.class, look.site.id);
              chosen.forEach(
                  f -> takeover.take(s, site, f, InTheWay.yes(asked.removeMachines()), by));
            });
    chosen.forEach(f -> services.ledger().sweep(f.tow()));
    Set<String> adopted = chosen.stream().map(Found::tow).collect(Collectors.toSet());
    return services.db().tx(s -> view(s, look, asked, adopted));
  }

  /** Refuses where something is in the way of one. */
  private void mayBe(Session s, SiteEntity site, List<Found> chosen, AdoptRequest asked) {
    for (Found f : chosen) {
      if (s.find(TowEntity.class, f.tow()) != null) {
        throw ProblemException.conflict(
            "wave-adopted",
            "wave " + f.name() + " has been taken over already",
            Remedy.of("look at it", Action.WAVE_SHOW, f.name()));
      }
      inTheWay.of(s, site, f, asked).stream()
          .filter(Finding::blocks)
          .findFirst()
          .ifPresent(
              x -> {
                throw ProblemException.conflict(
                    x.code().text(), x.thing() + ": " + x.cause(), x.remedy());
              });
    }
  }

  private static List<Found> chosen(Look look, AdoptRequest asked) {
    List<String> names = asked.waves() == null ? List.of() : asked.waves();
    for (String name : names) {
      if (look.tows.stream().noneMatch(named(name))) {
        throw ProblemException.missing("wave", name);
      }
    }
    List<Found> chosen =
        look.tows.stream()
            .filter(
                f ->
                    names.isEmpty()
                        ? !f.points().isEmpty()
                        : names.stream().anyMatch(n -> named(n).test(f)))
            .toList();
    if (chosen.isEmpty()) {
      throw ProblemException.conflict(
          "nothing-to-adopt",
          "no wave of another service with a point that can be read is at " + look.site.name,
          "look at another site");
    }
    return chosen;
  }

  private static Predicate<Found> named(String name) {
    return f -> f.name().equals(name) || f.tow().equals(name);
  }

  // ---- what is there

  private Look read(String ref) {
    SiteEntity site = services.db().tx(s -> Sites.find(s, ref));
    if (site.kind != SiteKind.STANDIN && site.kind != SiteKind.LIBVIRT) {
      throw ProblemException.invalid(
          "site-no-target",
          "site " + site.name + " is of kind " + site.kind.word() + ": no copies are kept there",
          "name a site that machines are replicated to");
    }
    Sites.capabilities(site);
    SiteDriver driver = services.sites().driver(site.id);
    Target target = driver.target();
    List<Owned> left = new ArrayList<>();
    // By tow: an adoption that was cut off has its own tag on some of them.
    Map<String, List<Owned>> owned = new TreeMap<>();
    for (Owned o : target.owned(TAG)) {
      Matcher m = OWNER.matcher(o.owner());
      if (m.matches()) {
        owned.computeIfAbsent(m.group(1), k -> new ArrayList<>()).add(o);
      } else if (!o.owner().equals(TAG)) {
        left.add(o);
      }
    }
    List<PointRef> points = target.points(TAG);
    Set<String> known =
        services.db().tx(s -> new TreeSet<>(Db.list(s, String.class, "select id from TowEntity")));
    List<MachineFacts> machines = driver.inventory().machines();
    List<Found> tows = new ArrayList<>();
    owned.keySet().removeAll(known);
    owned.forEach(
        (tow, things) -> {
          List<PointRef> own = points.stream().filter(p -> p.owner().endsWith("/" + tow)).toList();
          if (own.isEmpty()) {
            left.addAll(things);
          } else {
            Found f = found(target, tow, things, own, machines);
            tows.add(f);
            things.stream().filter(o -> !f.isKept(o)).forEach(left::add);
          }
        });
    tows.sort(Comparator.comparing(Found::name).thenComparing(Found::tow));
    return new Look(site, tows, left);
  }

  private static Found found(
      Target target,
      String tow,
      List<Owned> things,
      List<PointRef> refs,
      List<MachineFacts> machines) {
    List<Found.Point> points = new ArrayList<>();
    List<String> unread = new ArrayList<>();
    for (PointRef ref : refs) {
      try {
        points.add(new Found.Point(ref, manifest(target, tow, ref)));
      } catch (Manifest.UnreadableException e) {
        unread.add("point " + ref.name() + ": " + e.getMessage());
      }
    }
    points.sort(Found.ORDER);
    unread.addAll(Found.withoutContradictions(points));
    // All that are at one site are of legs that lead there.
    points.removeIf(
        p -> {
          boolean other =
              !p.manifest()
                  .leg()
                  .direction()
                  .equals(points.get(points.size() - 1).manifest().leg().direction());
          return other && unread.add("point " + p.ref().name() + ": it is of the other direction");
        });
    return new Found(
        tow,
        (points.isEmpty() ? refs.get(0) : points.get(points.size() - 1).ref()).owner(),
        List.copyOf(points),
        List.copyOf(unread),
        things,
        points.isEmpty()
            ? Map.of()
            : Found.standing(points.get(points.size() - 1).manifest(), tow, machines));
  }

  private static Manifest manifest(Target target, String tow, PointRef ref)
      throws Manifest.UnreadableException {
    Optional<byte[]> file;
    try {
      file = target.attachment(ref.name(), Manifest.FILE);
    } catch (SiteException e) {
      if (e.kind() != SiteException.Kind.FINAL) {
        throw e;
      }
      throw new Manifest.UnreadableException(e.getMessage());
    }
    if (file.isEmpty()) {
      throw new Manifest.UnreadableException("it has no manifest: it was never finished");
    }
    Manifest m = Manifest.read(file.get());
    if (!m.tow().equals(tow)) {
      throw new Manifest.UnreadableException("its manifest is that of another wave's point");
    }
    if (m.machines().stream().map(Manifest.Machine::id).distinct().count() < m.machines().size()
        || m.machines().stream().map(Manifest.Machine::name).distinct().count()
            < m.machines().size()
        || m.machines().stream()
            .anyMatch(
                x ->
                    x.disks().stream().map(Manifest.Disk::disk).distinct().count()
                        < x.disks().size())) {
      throw new Manifest.UnreadableException("it tells one machine or one disk twice");
    }
    Set<String> frozen = Set.copyOf(ref.volumes());
    Optional<String> lacking =
        m.machines().stream()
            .flatMap(x -> x.disks().stream())
            .flatMap(d -> Stream.of(d.volume(), d.digests()))
            .filter(v -> !v.isEmpty() && !frozen.contains(v))
            .findFirst();
    if (lacking.isPresent()) {
      throw new Manifest.UnreadableException("it does not hold the volume " + lacking.get());
    }
    return m;
  }

  // ---- how it is told

  private AdoptionView view(Session s, Look look, AdoptRequest asked, Set<String> adopted) {
    return new AdoptionView(
        look.site.name,
        look.tows.stream()
            .filter(f -> adopted.isEmpty() || adopted.contains(f.tow()))
            .map(f -> view(s, look, f, asked, adopted.contains(f.tow())))
            .toList(),
        look.left.stream()
            .map(o -> new LeftoverView(look.site.name, o.kind(), o.name(), o.owner(), false))
            .toList());
  }

  private AdoptionWave view(Session s, Look look, Found f, AdoptRequest asked, boolean adopted) {
    Optional<Manifest> newest = f.points().isEmpty() ? Optional.empty() : Optional.of(f.newest());
    List<FindingView> findings =
        adopted ? List.of() : Sites.views(inTheWay.of(s, look.site, f, asked));
    return new AdoptionWave(
        f.name(),
        f.tow(),
        f.service(),
        newest.map(Manifest::from).orElse(""),
        f.points().isEmpty() ? "" : f.lost().address(),
        newest.stream().flatMap(m -> m.machines().stream()).map(Manifest.Machine::name).toList(),
        f.points().size(),
        newest.map(Manifest::point).orElse(null),
        newest.map(Manifest::asOf).orElse(null),
        newest.map(Manifest::verified).orElse(""),
        f.runsHere(),
        adopted || s.find(TowEntity.class, f.tow()) != null,
        findings);
  }
}
