package bargelane.blocks.ovf;

import java.util.Map;

/** Operating systems by the values of CIM_OperatingSystem.OSType (DMTF CIM schema). */
final class CimSystems {

  private static final Map<Integer, String> NAMES =
      Map.ofEntries(
          Map.entry(36, "Linux"),
          Map.entry(42, "FreeBSD"),
          Map.entry(43, "NetBSD"),
          Map.entry(58, "Windows 2000"),
          Map.entry(67, "Windows XP"),
          Map.entry(69, "Windows Server 2003"),
          Map.entry(70, "Windows Server 2003, 64 bits"),
          Map.entry(73, "Windows Vista"),
          Map.entry(76, "Windows Server 2008"),
          Map.entry(77, "Windows Server 2008, 64 bits"),
          Map.entry(78, "FreeBSD, 64 bits"),
          Map.entry(79, "RHEL"),
          Map.entry(80, "RHEL, 64 bits"),
          Map.entry(82, "SUSE"),
          Map.entry(83, "SUSE, 64 bits"),
          Map.entry(84, "SUSE Linux Enterprise Server"),
          Map.entry(85, "SUSE Linux Enterprise Server, 64 bits"),
          Map.entry(93, "Ubuntu"),
          Map.entry(94, "Ubuntu, 64 bits"),
          Map.entry(95, "Debian"),
          Map.entry(96, "Debian, 64 bits"),
          Map.entry(97, "Linux 2.4"),
          Map.entry(98, "Linux 2.4, 64 bits"),
          Map.entry(99, "Linux 2.6"),
          Map.entry(100, "Linux 2.6, 64 bits"),
          Map.entry(101, "Linux, 64 bits"),
          Map.entry(103, "Windows Server 2008 R2"),
          Map.entry(105, "Windows 7"),
          Map.entry(106, "CentOS"),
          Map.entry(107, "CentOS, 64 bits"));

  private CimSystems() {}

  /** A name; one that is not listed here is told by its number. */
  static String name(int type) {
    return NAMES.getOrDefault(type, "CIM operating system type " + type);
  }
}
