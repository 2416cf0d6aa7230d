/** What the demo's kits drive, in the forms that kits carry: the kernel's own lists, and an .inf file. */
const COMMON = [
  ["pci:v*d*sv*sd*bc01sc06i01*", "ahci"],
  ["pci:v*d*sv*sd*bc01sc08i02*", "nvme"],
  ["pci:v00008086d00007111sv*sd*bc*sc*i*", "ata_piix"],
  ["pci:v00008086d00007010sv*sd*bc*sc*i*", "ata_piix"],
  ["pci:v000010ECd00008168sv*sd*bc*sc*i*", "r8169"],
  ["pci:v000010ECd00008136sv*sd*bc*sc*i*", "r8169"],
  ["pci:v00008086d0000100Esv*sd*bc*sc*i*", "e1000"],
  ["pci:v00001AF4d*sv*sd*bc*sc*i*", "virtio_pci"],
  ["virtio:d00000001v*", "virtio_net"],
  ["virtio:d00000002v*", "virtio_blk"],
  ["usb:v*p*d*dc*dsc*dp*ic03isc*ip*in*", "usbhid"],
  ["usb:v*p*d*dc*dsc*dp*ic08isc06ip50in*", "usb_storage"],
];
const NEWER = [
  ["pci:v*d*sv*sd*bc08sc05i*", "sdhci_pci"],
  ["pci:v00008086d00009A0Bsv*sd*bc*sc*i*", "vmd"],
  ["pci:v00008086d0000467Fsv*sd*bc*sc*i*", "vmd"],
  ["pci:v00001000d00000016sv*sd*bc*sc*i*", "megaraid_sas"],
  ["pci:v00001000d0000005Dsv*sd*bc*sc*i*", "megaraid_sas"],
  ["pci:v00008086d000015BCsv*sd*bc*sc*i*", "e1000e"],
  ["pci:v00008086d0000A0F0sv*sd*bc*sc*i*", "iwlwifi"],
  ["pci:v000010ECd00008125sv*sd*bc*sc*i*", "r8169"],
];
const lines = (rows: string[][]) => rows.map(([pattern, driver]) => `alias ${pattern} ${driver}\n`).join("");

export const MODULES_ALIAS_4 = lines(COMMON);
export const MODULES_ALIAS_5 = lines([...COMMON, ...NEWER]);

export const STORAGE_INF = `; Storage controllers of Norlight
[Version]
Signature="$Windows NT$"
Class=SCSIAdapter
Provider=%NL%
DriverVer=01/12/2026,4.2.0.1
CatalogFile=nlstor.cat
[Manufacturer]
%NL%=Norlight,NTamd64
[Norlight.NTamd64]
%Ahci%=Install,PCI\\CC_010601
%Nvme%=Install,PCI\\CC_010802
%Vmd%=Install,PCI\\VEN_8086&DEV_9A0B
[Strings]
NL="Norlight"
Ahci="SATA controller"
Nvme="NVM Express controller"
Vmd="Volume management controller"
`;
