<!-- A QR code, dark on light by day and by night: cameras want it so. -->
<script lang="ts">
  let { picture, alt }: { picture: string; alt: string } = $props();
</script>

<img class="size-44 shrink-0 rounded-lg bg-white p-1" src="data:image/svg+xml,{encodeURIComponent(picture)}" {alt} />
