package bargelane.standins;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/**
 * What a platform consists of, as stored in its state file and in its seed. Sizes in MiB say so.
 */
public final class Platform {

  /**
   * What kind of platform this is and how it behaves.
   *
   * @param instant how wide one snapshot reaches: {@code machine} or {@code site}
   * @param granularity bytes a tracked block
   * @param markersSurviveCrash whether tracking goes on after the platform was killed
   * @param sized whether machines take one of the offered sizes, or any number of processors and
   *     memory
   */
  public record Traits(
      String kind,
      String name,
      String version,
      String instant,
      int granularity,
      boolean markersSurviveCrash,
      boolean sized) {}

  /**
   * A network or subnet. {@code like} is empty, or names the subnet that an isolated one is a copy
   * of.
   *
   * @param reserved addresses that no machine gets
   */
  public record Network(
      String id,
      String name,
      String zone,
      String cidr,
      String gateway,
      boolean isolated,
      String like,
      String owner,
      List<String> reserved) {
    public Network {
      reserved = reserved == null ? List.of() : reserved;
    }
  }

  /** A place for volumes with its price a GiB and month. */
  public record StorageClass(
      String id,
      String name,
      String media,
      String pricePerGibMonth,
      String currency,
      long largestGib,
      double operations,
      double throughputMib) {}

  /** An offered machine size with its price an hour and its limits; 0 where there is none. */
  public record Size(
      String id,
      String family,
      String generation,
      int cpus,
      long memoryMib,
      int nics,
      int disks,
      double operations,
      double throughputMib,
      double networkMib,
      List<String> zones,
      String pricePerHour,
      String currency) {}

  /** A network card: its address may be kept by more than one machine only on isolated networks. */
  public record Nic(String network, String address, String mac) {}

  /** What a machine lets in. */
  public record Ingress(String protocol, int port, String from) {}

  /** A machine or instance. Disks are volume names in boot order. */
  public record Machine(
      String id,
      String name,
      String size,
      int cpus,
      long memoryMib,
      String os,
      String firmware,
      String zone,
      List<String> disks,
      List<Nic> nics,
      List<Ingress> ingress,
      Map<String, String> labels,
      boolean on,
      boolean fenced,
      String owner,
      String licence,
      boolean bootProtection,
      String project,
      String identity) {

    public Machine {
      project = project == null ? "" : project;
      identity = identity == null ? "" : identity;
    }

    Machine disks(List<String> changed) {
      return new Machine(
          id,
          name,
          size,
          cpus,
          memoryMib,
          os,
          firmware,
          zone,
          changed,
          nics,
          ingress,
          labels,
          on,
          fenced,
          owner,
          licence,
          bootProtection,
          project,
          identity);
    }

    Machine ingress(List<Ingress> changed) {
      return new Machine(
          id,
          name,
          size,
          cpus,
          memoryMib,
          os,
          firmware,
          zone,
          disks,
          nics,
          changed,
          labels,
          on,
          fenced,
          owner,
          licence,
          bootProtection,
          project,
          identity);
    }

    Machine on(boolean now) {
      return new Machine(
          id,
          name,
          size,
          cpus,
          memoryMib,
          os,
          firmware,
          zone,
          disks,
          nics,
          ingress,
          labels,
          now,
          fenced,
          owner,
          licence,
          bootProtection,
          project,
          identity);
    }

    Machine fenced(boolean now) {
      return new Machine(
          id,
          name,
          size,
          cpus,
          memoryMib,
          os,
          firmware,
          zone,
          disks,
          nics,
          ingress,
          labels,
          on,
          now,
          owner,
          licence,
          bootProtection,
          project,
          identity);
    }

    Machine owner(String now) {
      return new Machine(
          id,
          name,
          size,
          cpus,
          memoryMib,
          os,
          firmware,
          zone,
          disks,
          nics,
          ingress,
          labels,
          on,
          fenced,
          now,
          licence,
          bootProtection,
          project,
          identity);
    }
  }

  /** What a machine's name has to be: its most characters, and whether it is of plain ones only. */
  public record Names(int longest, boolean plain) {}

  /** A licence, and with what the names of the systems begin that need one of these. */
  public record Licence(String id, String system) {}

  /** How many machines and how many GiB of volumes may exist. */
  public record Quota(int machines, long volumeGib) {}

  public Traits traits;
  public Map<String, List<String>> tokens = new LinkedHashMap<>();
  public Quota quota = new Quota(1000, 100_000);
  public List<String> zones = new ArrayList<>();
  public Names names = new Names(0, false);
  public List<Licence> licences = new ArrayList<>();
  public boolean bootProtection;

  /** Accounts or projects that can own machines, the first of them unless asked otherwise. */
  public List<String> projects = new ArrayList<>();

  /** What machines can run under. */
  public List<String> identities = new ArrayList<>();

  /** What volumes can be encrypted with, besides the platform's own key. */
  public List<String> keys = new ArrayList<>();

  /** Whether a machine is reached only from where its ingress lets in. */
  public boolean filters;

  public Map<String, Network> networks = new LinkedHashMap<>();
  public Map<String, StorageClass> storages = new LinkedHashMap<>();
  public Map<String, Size> sizes = new LinkedHashMap<>();
  public Map<String, Machine> machines = new LinkedHashMap<>();
  public long nextMachine = 1;

  /** Machines whose disks have no bytes yet, by id. */
  public Map<String, Seed.SeedMachine> unmade = new LinkedHashMap<>();

  /** What machines are told to have used and to have talked to, by id. */
  public Map<String, History.Load> loads = new LinkedHashMap<>();

  public Map<String, List<History.Talk>> talks = new LinkedHashMap<>();
}
